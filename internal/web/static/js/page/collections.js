// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { collections } from "../chosen.js";
import { packing } from "../packing.js";
import { shell } from "../shell.js";

Alpine.data("collections", collections);
Alpine.data("packing", packing);
Alpine.data("shell", shell);
Alpine.start();
