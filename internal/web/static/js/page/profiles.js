// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { profile } from "../profiles.js";
import { shell } from "../shell.js";

Alpine.data("profile", profile);
Alpine.data("shell", shell);
Alpine.start();
