/** Parsers that three.js ships without types. */
declare module 'three/addons/loaders/usd/USDAParser.js' {
  export class USDAParser { parseData(text: string): unknown }
}
declare module 'three/addons/loaders/usd/USDCParser.js' {
  export class USDCParser { parseData(buffer: ArrayBuffer): unknown }
}
