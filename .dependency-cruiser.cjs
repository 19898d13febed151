// The plan of the house, held by `npm test`: directions, circles (of types too), and files that nobody imports.
const coreOrder = [
  'values',
  'access',
  'formula',
  'outside',
  'table',
  'plan',
  'wiring',
  'entry',
  'formats',
  'contract',
];

const test = '\\.test\\.ts$';

/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
  forbidden: [
    {
      name: 'no-circles',
      comment: 'What two files need of one another is a third thing.',
      severity: 'error',
      from: {},
      // A part that holds itself is a tree.
      to: { circular: true, viaOnly: { pathNot: '\\.svelte$' } },
    },
    {
      name: 'no-orphans',
      comment: 'A file that nobody imports and that imports nothing is left over.',
      severity: 'error',
      from: { orphan: true, pathNot: ['\\.d\\.m?ts$', '^src/routes/', test] },
      to: {},
    },
    {
      name: 'core-is-pure',
      severity: 'error',
      from: { path: '^src/core/', pathNot: test },
      to: { path: '^(src/(server|ui|routes)/|node_modules/(svelte|@sveltejs|knex|mysql2)/)' },
    },
    {
      name: 'core-needs-no-node',
      severity: 'error',
      from: { path: '^src/core/', pathNot: test },
      to: { dependencyTypes: ['core'] },
    },
    ...coreOrder.slice(0, -1).map((folder, i) => ({
      name: `core-flows-after-${folder}`,
      comment: `core flows ${coreOrder.join(' → ')}; never back.`,
      severity: 'error',
      from: { path: `^src/core/${folder}/`, pathNot: test },
      to: { path: `^src/core/(${coreOrder.slice(i + 1).join('|')})/` },
    })),
    {
      name: 'server-knows-no-screen',
      severity: 'error',
      from: { path: '^src/server/', pathNot: test },
      to: { path: '^(src/(ui|routes)/|node_modules/svelte/)' },
    },
    {
      name: 'screen-knows-no-server',
      severity: 'error',
      from: { path: '^src/ui/' },
      to: { path: '^src/(server|routes)/' },
    },
    {
      name: 'simulators-know-no-product',
      comment: 'They stand in for other systems; the demo gives them what they know.',
      severity: 'error',
      from: { path: '^simulators/' },
      to: { path: '^(src|demo)/' },
    },
    {
      name: 'product-knows-no-tests',
      severity: 'error',
      from: { path: '^(src|simulators|demo|scripts)/', pathNot: test },
      to: { path: '^(tests|bench)/' },
    },
    {
      name: 'no-unresolved',
      severity: 'error',
      from: {},
      to: { couldNotResolve: true, pathNot: '^(\\$app|\\./\\$types|\\$env)|build/index.js$' },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    // What is generated.
    exclude: { path: '^build/|^src/locales/(data\\.js|\\.wuchale)' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    webpackConfig: { fileName: 'scripts/aliases.mjs' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'types', 'svelte', 'node', 'default'],
      extensions: ['.ts', '.js', '.mjs', '.svelte', '.d.ts'],
    },
  },
};
