/** The reader of Draco-compressed geometry, loaded when a file first needs it. */

interface Attribute { ptr: number }
interface DracoModule { Decoder: { prototype: { GetAttributeByUniqueId: (mesh: unknown, id: number) => Attribute } } }

let loading: Promise<DracoModule> | null = null;

export const dracoDecoder = (): Promise<DracoModule> => (loading ??= load());
/** After a file that could not be read: whatever it has left the decoder in is not handed to the next. */
export const forgetDraco = (): void => { loading = null; };

async function load(): Promise<DracoModule> {
  const { default: start, DRACO_CODE } = (await import('./draco-code')) as unknown as { default: (o: { wasmBinary: Uint8Array }) => Promise<DracoModule>; DRACO_CODE: string };
  const draco = await start({ wasmBinary: Uint8Array.from(atob(DRACO_CODE), (c) => c.charCodeAt(0)) }), { prototype } = draco.Decoder, byId = prototype.GetAttributeByUniqueId;
  // what is not there would be read from anywhere
  prototype.GetAttributeByUniqueId = function (mesh, id) {
    const found = byId.call(this, mesh, id);
    if (found.ptr === 0) throw new Error(`its compressed geometry has no part ${id}`);
    return found;
  };
  return draco;
}
