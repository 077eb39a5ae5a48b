// @ts-check
// Starts the page: registers each island of interaction and lets Alpine find them.
import Alpine from "../vendor/alpine.js";
import { shell } from "./shell.js";
import { refresh } from "./refresh.js";
import { intake } from "./intake.js";
import { bench } from "./bench.js";
import { drafts } from "./drafts.js";
import { lens } from "./lens.js";
import { pair } from "./pair.js";
import { lenses } from "./lenses.js";
import { wall } from "./wall.js";
import { handoff } from "./handoff.js";
import { rules } from "./rules.js";
import { folders } from "./folders.js";
import { recipe, treatment } from "./recipe.js";
import { standards } from "./standards.js";

for (const [name, island] of Object.entries({ shell, refresh, intake, bench, drafts, lens, lenses, pair, wall, handoff, rules, folders, recipe, standards, treatment })) Alpine.data(name, island);
Alpine.start();
