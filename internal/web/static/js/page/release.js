// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { handoff } from "../handoff.js";
import { lens } from "../lens.js";
import { lenses } from "../lenses.js";
import { lit } from "../lit.js";
import { report } from "../requests.js";
import { shell } from "../shell.js";
import { standing } from "../standing.js";
import { walling } from "../walling.js";

Alpine.data("handoff", handoff);
Alpine.data("lens", lens);
Alpine.data("lenses", lenses);
Alpine.data("lit", lit);
Alpine.data("report", report);
Alpine.data("shell", shell);
Alpine.data("standing", standing);
Alpine.data("walling", walling);
Alpine.start();
