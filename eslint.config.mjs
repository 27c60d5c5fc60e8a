import next from 'eslint-config-next';
import typescript from 'eslint-config-next/typescript';

const config = [
  { ignores: ['.next/', 'dist/', 'node_modules/', 'next-env.d.ts', '.fine-comb/', 'src/formats/draco-code.ts'] },
  ...next,
  ...typescript,
  {
    rules: {
      '@next/next/no-html-link-for-pages': 'off', // a groom is left by a full page load, so that its workers and arrays go with it
      '@next/next/no-location-assign-relative-destination': 'off',
      '@next/next/no-img-element': 'off', // pictures of takes are small, and are not made smaller
      'react-hooks/immutability': 'off',
      'react-hooks/refs': 'off',
      'react-hooks/set-state-in-effect': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    },
  },
  {
    files: ['src/core/**/*.ts', 'src/formats/**/*.ts'],
    rules: {
      'no-restricted-imports': ['error', { patterns: [{ group: ['react', 'react-*', 'next', 'next/*', 'node:*', '@/*', '**/editor/**', '**/server/**', '**/app/**', 'three/examples/*', 'three/addons/*', '!three/addons/loaders', '!three/addons/curves', '!three/addons/exporters'], message: 'The core and the formats know no interface, no server and no Node.' }] }],
      'no-restricted-globals': ['error', 'window', 'document', 'self', 'process', 'fetch', 'localStorage', 'performance'],
    },
  },
];
export default config;
