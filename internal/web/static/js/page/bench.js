// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { drafts } from "../drafts.js";
import { releasing } from "../releasing.js";
import { shell } from "../shell.js";

Alpine.data("drafts", drafts);
Alpine.data("releasing", releasing);
Alpine.data("shell", shell);
Alpine.start();
