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
    // our own pages open those beside them in a frame
    source: '/((?!aside/).*)', headers: [{ key: 'X-Frame-Options', value: 'DENY' }],
  }, {
    source: '/aside/:path*', headers: [{ key: 'X-Frame-Options', value: 'SAMEORIGIN' }],
  }]),
};
export default config;
