import { useEffect } from 'react';
import { useEditor } from '../state/store';

const KEY = 'fine-comb-theme';

/** Applies the chosen theme and remembers it in this browser. */
export function useTheme(): void {
  const theme = useEditor((s) => s.theme);
  useEffect(() => {
    const known = localStorage.getItem(KEY);
    if (known === 'linen' || known === 'peat') useEditor.setState({ theme: known });
  }, []);
  useEffect(() => { document.documentElement.dataset.theme = theme; }, [theme]);
}
export function setTheme(theme: 'peat' | 'linen'): void {
  localStorage.setItem(KEY, theme);
  useEditor.setState({ theme });
}
