// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { shell } from "../shell.js";

Alpine.data("shell", shell);
Alpine.start();
