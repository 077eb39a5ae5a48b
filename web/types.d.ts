// Types of the shipped libraries that the pages' scripts import.
declare module "*/vendor/idiomorph.js" {
  export const Idiomorph: { morph(old: Element, fresh: Node[] | string, config: object): void };
}
declare module "*/vendor/alpine.js" {
  const Alpine: { data(name: string, island: () => object): void; start(): void };
  export default Alpine;
}
