// Made by web/vendor.mjs: the islands of this page.
import Alpine from "../../vendor/alpine.js";
import { handoff } from "../handoff.js";
import { shell } from "../shell.js";

Alpine.data("handoff", handoff);
Alpine.data("shell", shell);
Alpine.start();
