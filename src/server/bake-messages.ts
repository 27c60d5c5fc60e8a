import type { BakeEvent, BakeInput, BakeResume } from './bake-compute';

export interface ThreadInput extends BakeInput { resume: BakeResume | null; threads: number }
export type ThreadMessage = BakeEvent | { kind: 'failed'; message: string };
