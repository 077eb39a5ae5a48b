// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { finishes } from "../finishes.js";
import { shell } from "../shell.js";

Alpine.data("finishes", finishes);
Alpine.data("shell", shell);
Alpine.start();
