import type { Metadata } from 'next';
import type { ReactNode } from 'react';
import './globals.css';

export const metadata: Metadata = { title: 'Fine Comb', description: 'A workshop for hair and fur effects' };

export default function Layout({ children }: { children: ReactNode }) {
  return <html lang="en" data-theme="peat" suppressHydrationWarning><body>{children}</body></html>;
}
