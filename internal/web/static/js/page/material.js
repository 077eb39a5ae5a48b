// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { bench } from "../bench.js";
import { lens } from "../lens.js";
import { lenses } from "../lenses.js";
import { lit } from "../lit.js";
import { recipe } from "../recipe.js";
import { releasing } from "../releasing.js";
import { shell } from "../shell.js";
import { treatment } from "../recipe.js";

Alpine.data("bench", bench);
Alpine.data("lens", lens);
Alpine.data("lenses", lenses);
Alpine.data("lit", lit);
Alpine.data("recipe", recipe);
Alpine.data("releasing", releasing);
Alpine.data("shell", shell);
Alpine.data("treatment", treatment);
Alpine.start();
