// The lens of the Bench and Intake are made of parts that share one state: within a part `this` is the
// whole. What a part adds is added here.
type Sheet = import("../internal/web/static/js/sheet.js").Sheet;
type MapInfo = import("../internal/web/static/js/sheet.js").MapInfo;

interface Lens {
  // lens.js
  root: any; // an element that hears events of its own
  unit: string;
  zoomLine: string;
  label: string;
  kept: boolean;
  sheet: Sheet | null;
  component: string;
  exposure: number;
  fitted: boolean;
  it: { width: number; height: number; known: boolean; depth: number; maps: MapInfo[]; steps: number[][]; seams: any[]; share: number[]; };
  map: MapInfo | null;
  scale: number;
  x: number;
  y: number;
  held: { px: number; py: number; x: number; y: number; } | null;
  drawing: number;
  init(): void;
  told: string;
  learn(text: string): void;
  renew(text: string): void;
  readonly parts: string[][];
  glance(): void;
  choose(e: Event): void;
  show(m: MapInfo): Promise<void>;
  fit(): void;
  actual(): void;
  zoomTo(scale: number, px?: number, py?: number): void;
  wheel(e: WheelEvent): void;
  grab(e: PointerEvent): void;
  move(e: PointerEvent): void;
  drop(): void;
  leave(): void;
  key(e: KeyboardEvent): void;
  nextMat(): void;
  draw(): void;
  paint(): void;
  // life.js
  ends: (() => void)[];
  hear(to: EventTarget, name: string, act: (e: any) => void): void;
  live(): void;
  destroy(): void;
  settle(): void;
  unveil(first: any): Promise<void> | void;
  build(e: Event): Promise<void>;
  // ruler.js
  ruler(g: CanvasRenderingContext2D, long: number, step: number, from: number, upright: boolean, colours: string[]): void;
  // cross.js
  cross: { x: number; y: number; } | null;
  begun: { x: number; y: number; } | null;
  toolKeys(): void;
  readonly readingLive: "off" | "polite";
  crossKey(e: KeyboardEvent): boolean;
  mark(): void;
  crosshair(g: CanvasRenderingContext2D): void;
  // measure.js
  measuring: boolean;
  asking: boolean;
  line: { x0: number; y0: number; x1: number; y1: number; } | null;
  snapped: boolean;
  startLine(): void;
  under(e: PointerEvent): [number, number];
  ask(): Promise<unknown>;
  askKey(e: KeyboardEvent): void;
  takeLine(): Promise<void>;
  cut: { x0: number; y0: number; x1: number; y1: number; } | null;
  cutting: boolean;
  profiled: string;
  readonly sectioned: boolean;
  startCut(): void;
  section(): Promise<unknown>;
  rule(g: CanvasRenderingContext2D, left: number, top: number, w: number, h: number): void;
  // reading.js
  reading: string;
  wanted: string;
  exactly: string;
  asked: number;
  read(x: number, y: number): void;
  // marks.js
  grid: boolean;
  toggleGrid(): void;
  lines(g: CanvasRenderingContext2D, every: number, left: number, top: number, wide: number, high: number): void;
  pattern: boolean;
  togglePattern(): void;
  middle: boolean;
  toggleMiddle(): void;
  breaks(g: CanvasRenderingContext2D, left: number, top: number, w: number, h: number): void;
  heat: ImageBitmap | null;
  toggleHeat(): Promise<unknown>;
  warm(g: CanvasRenderingContext2D, left: number, top: number, w: number, h: number): void;
  thing: string;
  lastThing: string;
  overlay(): void;
  toggleThing(): void;
  lattice(g: CanvasRenderingContext2D, left: number, top: number, w: number, h: number): void;
  // wipe.js
  other: Sheet | null;
  against: string;
  wipe: number;
  readonly rivals: MapInfo[];
  setAgainst(want: string): Promise<void>;
  lastAgainst: string;
  toggleWipe(): unknown;
  chooseAgainst(e: Event): Promise<void>;
  moveWipe(): void;
  wiped(g: CanvasRenderingContext2D, left: number, top: number, h: number, dpr: number, box: { width: number; height: number; }): void;
  // placing.js
  laid: boolean;
  look(laid: boolean): void;
  saysLens(): void;
  wall(): [number, number];
  extent(): number[];
  shape: string;
  turn: number;
  shifted: string[];
  dx: number;
  dy: number;
  shift(): Promise<void>;
  readonly displaced: boolean;
  placed(asked: URLSearchParams): void;
  place(): void;
  spot(x: number, y: number): number[];
  putBack(): void;
  lay(g: CanvasRenderingContext2D, left: number, top: number, w: number, h: number, dpr: number): void;
  cover(g: CanvasRenderingContext2D, of: { sheet: Sheet; width: number; height: number; }, left: number, top: number, h: number, dpr: number): void;
  readonly repeat: [number, number];
  tried: string;
  askAgain(): void;
  tryOut(trial: { bitmap: ImageBitmap | null; share: number[]; says: string; }): void;
  borders: boolean;
  toggleBorders(): void;
}

interface Intake {
  // intake.js
  root: any; // an element that hears events of its own
  timer: number;
  filtering: number;
  readonly delivery: string;
  readonly shown: string | undefined;
  version(set: string | number): number;
  seen(sets: number[]): { id: number; version: number; }[];
  init(): void;
  click(e: MouseEvent): Promise<void>;
  readonly address: URL;
  show(change: Record<string, string>): Promise<void>;
  filterSoon(): void;
  findDelivery(text: string): void;
  follow(e: MouseEvent, a: HTMLAnchorElement): Promise<void>;
  openRow(set: string): Promise<void>;
  next(): unknown;
  submitted(e: SubmitEvent): Promise<void>;
  heard(e: CustomEvent<string[]>): void;
  reload(): Promise<void>;
  fold(e: ToggleEvent): void;
  // sets.js, changing.js
  count: number;
  out: boolean;
  readonly label: string;
  chooseMany(): void;
  clearChosen(): void;
  decideMany(e: SubmitEvent): Promise<void>;
  suggest(): void;
  changeAll(form: HTMLFormElement, materials: { id: number; version: number; }[]): Promise<void>;
  // cells.js
  open: boolean;
  about: { title: string; file: string; facts: string; reasons: { says: string; word: string; tone: string }[]; choices: { id: string; title: string }[]; map: string; set: string; maps: (MapInfo & { file: string })[]; rivals: (MapInfo & { file: string })[]; parts: string[][]; size: { width: number; height: number; known: boolean }; };
  beside: string;
  component: string;
  look: import("../internal/web/static/js/closer.js").Closer | null;
  lookable(cell: HTMLElement, set: any, m: any): Pick<Intake["about"], "maps" | "rivals" | "parts" | "size">;
  besideCell(cell?: Element | null): void;
  closer(stay: boolean): Promise<void>;
  shut(): void;
  explain(cell: HTMLElement): Promise<void>;
  lift(e: DragEvent): void;
  aim(e: DragEvent): void;
  land(e: DragEvent): Promise<void>;
  filterKey(e: KeyboardEvent): void;
  cellKeys(): void;
  decide(cell: HTMLElement, act: () => unknown): unknown;
  settle(set: string, key: string): unknown;
  step(from: HTMLElement | null, key: string): void;
  // deciding.js
  assign(set: string, map: string, channel: string): Promise<void>;
  all(material: { id: number; version: number; }, map: string, channel: string, keep: boolean): Promise<void>;
  back(step: number | string, way?: "undo" | "redo"): Promise<void>;
  turnNext(way: "undo" | "redo"): Promise<void>;
  leave(sets: number[], undo?: boolean): Promise<void>;
  known(set: string | undefined, take: string): Promise<void>;
  move(set: string, maps: number[] | null, to: string): Promise<void>;
  answer(word: string, channel: string, keep: boolean): Promise<void>;
  take(sets: number[]): Promise<void>;
  acceptReady(e: Event): Promise<void>;
  accepted(sets: number[], step: number): void;
  release(delivery: string, sets: number[]): Promise<void>;
  // sending.js
  hovering: boolean;
  sending: boolean;
  sendingName: string;
  sendingLine: string;
  sendingPercent: number;
  trouble: string;
  waiting: number;
  over(e: DragEvent): void;
  left(e: DragEvent): void;
  drop(e: DragEvent): Promise<void>;
  choose(e: Event): Promise<void>;
  send(found: { path: string; file: File; }[]): Promise<void>;
  resend(path: string, file: File): Promise<void>;
  retry(): Promise<void>;
  forget(): void;
}

/** Something to look at materials with. */
interface Prop {
  id: string;
  title: string;
  size_m?: number; // of a mesh: its longest side
  radius_m?: number; // of a ball that holds it
}

interface Lit {
  // lit.js
  root: any; // an element that hears events of its own
  on: boolean;
  view: import("../internal/web/static/js/lit/camera.js").View & Record<string, any>;
  env: string;
  lights: Prop[];
  meshes: Prop[];
  drops: Prop[];
  readonly mesh: Prop | null;
  readonly byServer: boolean;
  takeShape(shape: string): void;
  part: number;
  wanted: number;
  pixels: number;
  writing: number;
  held: { x: number; y: number; yaw: number; pitch: number; panX: number; panY: number; pans: boolean } | null;
  fingers: Map<number, { x: number; y: number }>;
  natural: number;
  init(): void;
  keys(): void;
  look(on: boolean): Promise<void>;
  perPixel(): number;
  set(change: Record<string, any>): void;
  toggle(what: "plaster" | "relief" | "tone"): void;
  frame(): void;
  resize(by: number): void;
  nextShape(): void;
  nextLight(): Promise<unknown>;
  readAddress(): void;
  writeAddress(): void;
  // loading.js
  stage: import("../internal/web/static/js/lit/stage.js").Stage | null;
  drawing: typeof import("../internal/web/static/js/lit/stage.js") | null;
  packs: typeof import("../internal/web/static/js/lit/packs.js") | null;
  figures: import("../internal/web/static/js/lit/figures.js").Look | null;
  problem: string;
  seen: number;
  sharp: number;
  loading: AbortController | null;
  begin(): Promise<unknown>;
  raise(): boolean;
  takeUp(maps: import("../internal/web/static/js/lit/packs.js").Maps | null, light: import("../internal/web/static/js/lit/packs.js").Light | null): void;
  finer(): void;
  sharpening: AbortSignal | null;
  sharpen(signal: AbortSignal): Promise<void>;
  takeLarger(signal: AbortSignal): Promise<void>;
  packURL(px: number): string;
  lightURL(): string;
  coming: string;
  takeLight(id: string): Promise<unknown>;
  settle(): void;
  shade(look: import("../internal/web/static/js/lit/figures.js").Look | null, moving?: boolean): void;
  relight(now: { surface: string; look: string }): void;
  dress(): Promise<void>;
  // bearing.js
  bar: number;
  barText: string;
  moved: number;
  ruled: string;
  stirred: boolean;
  rests: number;
  again(moving?: boolean): void;
  paint(): void;
  readonly from: { bearing: number; height: number };
  turnLight(turn: number, tilt: number): void;
  rule(): void;
  // keeping.js
  saving: string;
  savePx: string;
  saveAs: string;
  saveQuality: string;
  saveClear: boolean;
  openSave(): void;
  closeSave(): void;
  bring(e: Event, kind: "environments" | "meshes" | "backdrops", list: Prop[]): Promise<Prop[] | null>;
  dress(): Promise<void>;
  // still.js
  still: boolean;
  stillLight: { bearing: number; height: number } | null;
  timer: number;
  asked: number;
  pictureURL(w: number, h: number, ending: string, more?: Record<string, string>): string;
  drawStill(): void;
}
