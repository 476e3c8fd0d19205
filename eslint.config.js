import tseslint from 'typescript-eslint';
import reactHooks from 'eslint-plugin-react-hooks';
import prettier from 'eslint-config-prettier';
import globals from 'globals';

// Functions whose last bits differ between engines: they may not stand where a result becomes a
// height or a byte. The core has its own, compiled (kernels/math.ts).
const UNEVEN = [
  'sin',
  'cos',
  'tan',
  'asin',
  'acos',
  'atan',
  'atan2',
  'sinh',
  'cosh',
  'tanh',
  'exp',
  'expm1',
  'log',
  'log2',
  'log10',
  'log1p',
  'pow',
  'cbrt',
  'hypot',
  'random',
];

export default tseslint.config(
  {
    ignores: [
      '**/node_modules',
      '**/dist',
      'app/.astro',
      'core/kernels/generated',
      'core/formats/generated',
      'core/kernels/assembly',
      'bench/peers',
      'coverage',
      '.cache',
    ],
  },
  ...tseslint.configs.recommended,
  {
    languageOptions: { globals: { ...globals.node, ...globals.browser } },
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_+$' }],
      eqeqeq: 'error',
      'no-console': 'off',
      'prefer-const': 'error',
    },
  },
  {
    // Rules that know the types: no promise is left alone, every case of a union is there.
    files: ['{app,bench,cli,core,examples,scripts,tests}/**/*.{ts,tsx}'],
    languageOptions: { parserOptions: { project: './tsconfig.json', tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false, arguments: false } }],
      '@typescript-eslint/await-thenable': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
    },
  },
  {
    files: ['core/**/*.ts'],
    ignores: ['core/**/*.test.ts'],
    languageOptions: { globals: {} },
    rules: {
      'no-restricted-properties': [
        'error',
        ...UNEVEN.map((property) => ({ object: 'Math', property, message: 'Its bits differ between engines: use exactMath().' })),
      ],
      'no-restricted-syntax': [
        'error',
        {
          selector: "BinaryExpression[operator='**']:not([left.type='Literal'][left.value=2])",
          message: 'x ** y differs between engines: use exactMath().pow, or powers of two.',
        },
      ],
      'no-restricted-globals': ['error', 'window', 'document', 'navigator', 'localStorage', 'indexedDB', 'process', 'Buffer', 'self'],
      'no-restricted-imports': [
        'error',
        { patterns: ['node:*', 'react*', 'dexie*', 'fs', 'path', 'worker_threads', '@upland-cast/*', '**/app/**', '**/cli/**'] },
      ],
    },
  },
  {
    files: ['app/**/*.{ts,tsx}', 'cli/**/*.ts'],
    rules: { 'no-restricted-imports': ['error', { patterns: [{ regex: '^\\.{1,2}/.*core/', message: 'Import the core by its name.' }] }] },
  },
  { files: ['app/**/*.{ts,tsx}'], plugins: { 'react-hooks': reactHooks }, rules: reactHooks.configs.recommended.rules },
  prettier,
);
