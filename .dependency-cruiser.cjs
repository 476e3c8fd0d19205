// What may import what: the layers of docs/architecture.md. Run by `npm run lint`.

/** The core's folders from the ground up; a file may import from its own folder and from those before it. */
const CORE = [
  '(errors|issue|cooperative-yield|colour|blocks)\\.ts',
  'kernels',
  'field',
  'formats',
  'analysis',
  'rock',
  'masks',
  'steps',
  'course',
  'inspect',
  'survey',
  'mesh',
  'delivery',
  'world',
];

/** The page's folders from the ground up. */
const PAGE = ['drawing', 'storage', 'engine', 'view', 'store', 'components', 'islands'];

const upwards = (root, layers) =>
  layers.slice(0, -1).map((layer, k) => ({
    name: `${root.replace('/', '')}: ${layer} is below`,
    comment: `Reads only what lies below it: ${layers.slice(0, k).join(', ') || 'nothing'}.`,
    severity: 'error',
    from: { path: `^${root}${layer}`, pathNot: TESTS },
    to: { path: `^${root}(${layers.slice(k + 1).join('|')})`, pathNot: layer === 'masks' || layer === 'rock' ? CONTRACT : undefined },
  }));

const TESTS = '\\.test\\.tsx?$';
/** What steps and masks are told and give: the same for both. */
const CONTRACT = '^core/steps/(step|params)\\.ts$';

module.exports = {
  forbidden: [
    { name: 'no cycles', severity: 'error', from: {}, to: { circular: true } },
    ...upwards('core/', CORE),
    ...upwards('app/', PAGE),
    {
      name: 'the core stands alone',
      severity: 'error',
      from: { path: '^core/', pathNot: TESTS },
      to: { path: '^(app|cli|tests|scripts|bench)/' },
    },
    {
      name: 'the core knows no platform',
      severity: 'error',
      from: { path: '^core/', pathNot: TESTS },
      to: { dependencyTypes: ['core', 'npm-dev', 'npm-no-pkg', 'npm-unknown', 'unknown', 'undetermined'], pathNot: 'lerc\\.d\\.ts|generated/' },
    },
    {
      name: 'the core by its name',
      comment: 'From outside, the core is imported by its package name, through its exports.',
      severity: 'error',
      from: { path: '^(app|cli)/', pathNot: TESTS },
      to: { path: '^core/', dependencyTypes: ['local'] },
    },
    {
      name: 'the server has no page',
      severity: 'error',
      from: { path: '^app/(run|server|survey)/', pathNot: TESTS },
      to: { path: '^app/(islands|store|view|storage|engine|components)/' },
    },
    { name: 'the command has no page', severity: 'error', from: { path: '^cli/' }, to: { path: '^app/' } },
    { name: 'pages are not imported', severity: 'error', from: {}, to: { path: '^app/(pages|layouts)/' } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(assembly/|/dist/|\\.astro/)' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'require', 'node', 'default', 'types'] },
  },
};
