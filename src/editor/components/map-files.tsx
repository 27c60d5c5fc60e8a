'use client';
/** Maps from pictures and as pictures, by the mesh's texture coordinates. */
import { useRef } from 'react';
import { toast } from 'sonner';
import type { MapName, PlantDesk } from '../state/plant-desk';
import { greyOf, pngOf } from '../state/pictures';
import { saveFile } from '../state/save-file';
import { Button, helpProps, Note } from './controls';
import { useWorkshop } from './context';

const SIZE = 1024;

export function MapFiles({ desk, map }: { desk: PlantDesk; map: MapName }) {
  const { session } = useWorkshop(), input = useRef<HTMLInputElement>(null);
  if (!session.mesh.uvs) return <Note>This mesh has no texture coordinates: maps are painted, not brought in as pictures.</Note>;
  const take = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    input.current!.value = '';
    try { desk.fromImage(map, await greyOf(file), file.name); }
    catch { toast.error(`“${file.name}” is not a picture that can be read. Save it as PNG and choose that file.`); }
  };
  const give = async (): Promise<void> => {
    const image = desk.asImage(map, SIZE);
    if (image) saveFile(await pngOf(image), `${session.mesh.name} ${map}.png`);
  };
  return (
    <div className="mt-1 flex items-center gap-1.5">
      <input ref={input} type="file" accept="image/*" data-testid="map-file" className="hidden" onChange={(e) => void take(e.target.files?.[0])} />
      <Button onClick={() => input.current!.click()} {...helpProps('White is 1, black is 0; laid on by the texture coordinates of the mesh.')}>From a picture …</Button>
      <Button data-testid="map-png" onClick={() => void give()} {...helpProps(`A grey PNG of ${SIZE} × ${SIZE} pixels by the texture coordinates of the mesh.`)}>As a picture</Button>
    </div>
  );
}
