// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { shell } from "../shell.js";
import { standards } from "../standards.js";

Alpine.data("shell", shell);
Alpine.data("standards", standards);
Alpine.start();
