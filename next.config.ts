import type { NextConfig } from 'next';

const config: NextConfig = {
  serverExternalPackages: ['knex', 'mysql2', 'pino'],
  poweredByHeader: false,
  devIndicators: false,
  typescript: { ignoreBuildErrors: true }, // types are checked apart from the build
  headers: () => Promise.resolve([{
    source: '/:path*',
    headers: [
      { key: 'Cross-Origin-Opener-Policy', value: 'same-origin' },
      { key: 'Cross-Origin-Embedder-Policy', value: 'require-corp' },
      { key: 'Cross-Origin-Resource-Policy', value: 'same-origin' },
      { key: 'X-Content-Type-Options', value: 'nosniff' },
      { key: 'Referrer-Policy', value: 'no-referrer' },
    ],
  }, {
    // our own pages draw movies in a frame
    source: '/((?!film/).*)', headers: [{ key: 'X-Frame-Options', value: 'DENY' }],
  }, {
    source: '/film/:path*', headers: [{ key: 'X-Frame-Options', value: 'SAMEORIGIN' }],
  }]),
};
export default config;
