// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { compare } from "../compare.js";
import { shell } from "../shell.js";

Alpine.data("compare", compare);
Alpine.data("shell", shell);
Alpine.start();
