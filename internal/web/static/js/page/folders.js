// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { folders } from "../folders.js";
import { shell } from "../shell.js";

Alpine.data("folders", folders);
Alpine.data("shell", shell);
Alpine.start();
