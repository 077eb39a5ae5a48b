// Types of the shipped libraries that the pages' scripts import.
declare module "*/vendor/idiomorph.js" {
  export const Idiomorph: { morph(old: Element, fresh: Node[] | string, config: object): void };
}
declare module "*/vendor/combobox-nav.js" {
  export default class Combobox {
    constructor(input: HTMLInputElement, list: HTMLElement, settings?: { tabInsertsSuggestions?: boolean });
    start(): void;
    stop(): void;
    destroy(): void;
  }
}
declare module "*/vendor/twgl.js" {
  export { createBufferInfoFromArrays, createFramebufferInfo, createProgramInfo, drawBufferInfo, setBuffersAndAttributes, setUniforms } from "twgl.js";
}
declare module "*/vendor/alpine.js" {
  const Alpine: { data(name: string, island: () => object): void; start(): void };
  export default Alpine;
}

/** The API, made from its OpenAPI document by `npm run build`. */
type Paths = import("./api").paths;
type Api = import("./api").components["schemas"];

/** A path of the document with anything in the place of its parameters. */
type Filled<K extends string> = K extends `${infer A}{${string}}${infer B}` ? `${A}${string}${Filled<B>}` : K;
type Bare<P extends string> = P extends `${infer A}?${string}` ? A : P;
/** The path of the document that an address is one of. */
type PathOf<P extends string> = { [K in keyof Paths & string]: Filled<K> extends Bare<P> ? (Bare<P> extends Filled<K> ? K : never) : never }[keyof Paths & string];
/** Every key is there in an answer: a Go test holds them to it. */
type Present<T> = T extends (infer U)[] ? Present<U>[] : T extends object ? { [K in keyof T]-?: Present<T[K]> } : T;
type Json<R> = R extends { content: { "application/json": infer T } } ? Present<T> : never;
type Good<R> = R extends { 200: infer T } ? Json<T> : R extends { 201: infer T } ? Json<T> : R extends { 202: infer T } ? Json<T> : null;
/** What a call is answered with; what is not described is nobody's promise. */
type Answer<M extends string, P extends string> = [PathOf<P>] extends [never]
  ? any
  : Lowercase<M> extends keyof Paths[PathOf<P>] ? (Paths[PathOf<P>][Lowercase<M>] extends { responses: infer R } ? Good<R> : any) : any;

/** What Alpine gives an island as `this`, beside what is its own. */
interface Magic {
  $watch<T = any>(name: string, then: (now: T) => void): void;
  $root: HTMLElement;
  $refs: Record<string, any>;
  $nextTick(): Promise<void>;
}
