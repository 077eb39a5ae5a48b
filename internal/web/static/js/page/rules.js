// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { rules } from "../rules.js";
import { shell } from "../shell.js";

Alpine.data("rules", rules);
Alpine.data("shell", shell);
Alpine.start();
