import { useEffect } from 'react';
import { GRAINS, useEditor, type Grain } from '../state/store';

const KEY = 'fine-comb-theme', GRAIN_KEY = 'fine-comb-grain';

/** Applies what this browser remembers: the theme, and how fine the view is drawn. */
export function useTheme(): void {
  const theme = useEditor((s) => s.theme);
  useEffect(() => {
    const known = localStorage.getItem(KEY);
    if (known === 'linen' || known === 'peat') useEditor.setState({ theme: known });
    const grain = GRAINS.find((g) => String(g) === localStorage.getItem(GRAIN_KEY));
    if (grain) useEditor.setState({ grain });
  }, []);
  useEffect(() => { document.documentElement.dataset.theme = theme; }, [theme]);
}
export function setTheme(theme: 'peat' | 'linen'): void {
  localStorage.setItem(KEY, theme);
  useEditor.setState({ theme });
}
/** The view is drawn with each pixel, with every second or with every fourth: the coarser, the quicker. */
export function setGrain(grain: Grain): void {
  localStorage.setItem(GRAIN_KEY, String(grain));
  useEditor.setState({ grain });
}
export const nextGrain = (): void => { setGrain(GRAINS[(GRAINS.indexOf(useEditor.getState().grain) + 1) % GRAINS.length]); };
