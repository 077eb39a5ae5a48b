// @ts-check
// The contact sheet's one button: printing.
import { island } from "./island.js";

export function sheet() {
  return island({
    print() { window.print(); },
  });
}
