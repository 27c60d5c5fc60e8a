/** What gives the WebAssembly module of `code` (base64), compiled once a thread; null where WebAssembly, or what the code needs of it, is missing. */
export function compiledOnce(code: string): () => WebAssembly.Module | null {
  let compiled: WebAssembly.Module | null | undefined;
  return () => {
    if (compiled === undefined) {
      try {
        const bytes = Uint8Array.from(atob(code), (c) => c.charCodeAt(0));
        compiled = WebAssembly.validate(bytes) ? new WebAssembly.Module(bytes) : null;
      } catch { compiled = null; }
    }
    return compiled;
  };
}
