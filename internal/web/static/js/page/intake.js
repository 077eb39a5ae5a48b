// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { intake } from "../intake.js";
import { pair } from "../pair.js";
import { releasing } from "../releasing.js";
import { shell } from "../shell.js";

Alpine.data("intake", intake);
Alpine.data("pair", pair);
Alpine.data("releasing", releasing);
Alpine.data("shell", shell);
Alpine.start();
