/** Runs a task whose trouble is told to the person at the screen. */
import { toast } from 'sonner';

export const trying = (task: Promise<unknown>): void => { task.catch((e: unknown) => toast.error(e instanceof Error ? e.message : String(e))); };
