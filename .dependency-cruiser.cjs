/** Dependencies point one way: app → editor, server → workers, formats → core. */
const layer = (name, from, to) => ({ name, severity: 'error', from: { path: from, pathNot: '\\.test\\.tsx?$' }, to: { path: to } });
module.exports = {
  forbidden: [
    layer('core-knows-nobody', '^src/core/', '^src/(formats|server|workers|editor|app)/|^(cli|demo|tests)/'),
    layer('formats-know-the-core', '^src/formats/', '^src/(server|workers|editor|app)/|^(cli|demo|tests)/'),
    layer('workers-are-thin', '^src/workers/', '^src/(server|editor|app)/|^(cli|demo|tests)/'),
    layer('server-knows-no-screen', '^src/server/', '^src/(workers|editor|app)/|^(cli|demo|tests)/'),
    layer('editor-knows-no-server', '^src/editor/', '^src/(server|app)/|^(cli|demo|tests)/'),
    // the stand-in receiver shares nothing with what writes the files
    layer('receiver-stands-alone', '^src/receiver/', '^src/(formats|server|workers|editor|app)/|^src/core/(?!bake/frame-codec|proof/strand-meter|contract)|^(cli|demo|tests)/'),
    layer('product-knows-no-tests', '^src/', '^tests/'),
    { name: 'no-circles', severity: 'error', from: { path: '^src' }, to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } } },
    { name: 'core-is-pure', severity: 'error', from: { path: '^src/core/', pathNot: '\\.test\\.tsx?$' }, to: { dependencyTypes: ['core'] } },
    { name: 'no-development-packages', severity: 'error', from: { path: '^src/', pathNot: '\\.test\\.tsx?$' }, to: { dependencyTypes: ['npm-dev'], pathNot: '@types/' } },
  ],
  options: { doNotFollow: { path: 'node_modules' }, tsPreCompilationDeps: true, tsConfig: { fileName: 'tsconfig.json' } },
};
