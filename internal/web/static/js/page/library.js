// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { chosen } from "../chosen.js";
import { packing } from "../packing.js";
import { shelf } from "../shelf.js";
import { shell } from "../shell.js";
import { wall } from "../wall.js";

Alpine.data("chosen", chosen);
Alpine.data("packing", packing);
Alpine.data("shelf", shelf);
Alpine.data("shell", shell);
Alpine.data("wall", wall);
Alpine.start();
