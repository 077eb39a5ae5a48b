// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { collections } from "../chosen.js";
import { shell } from "../shell.js";

Alpine.data("collections", collections);
Alpine.data("shell", shell);
Alpine.start();
