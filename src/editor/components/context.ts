import { createContext, useContext } from 'react';
import type { Action } from '../state/actions';
import type { Session } from '../state/session';
import type { Viewport } from '../view/viewport';

export interface WorkshopContext { session: Session; actions: Action[]; viewport: { current: Viewport | null } }
const Context = createContext<WorkshopContext | null>(null);
export const WorkshopProvider = Context.Provider;
export function useWorkshop(): WorkshopContext {
  const value = useContext(Context);
  if (!value) throw new Error('outside the workshop');
  return value;
}
