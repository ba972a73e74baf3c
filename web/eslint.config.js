import query from '@tanstack/eslint-plugin-query';
import a11y from 'eslint-plugin-jsx-a11y';
import hooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** What the files of a wing may not import: the wings above it. */
const below = (wing, ...above) => ({
  files: [`src/${wing}/**/*.{ts,tsx}`],
  ignores: ['src/**/*.test.{ts,tsx}'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          { group: above.map((w) => `**/${w}/**`), message: `${wing}/ is below ${above.join('/, ')}/` },
        ],
      },
    ],
  },
});

export default tseslint.config(
  { ignores: ['src/shared/api/schema.d.ts', 'dist'] },
  ...tseslint.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
  {
    rules: {
      // A number in a template and an arrow that ends in a call read well.
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
    },
  },
  ...query.configs['flat/recommended'],
  a11y.flatConfigs.strict,
  { plugins: { 'react-hooks': hooks }, rules: hooks.configs.recommended.rules },
  below('shared', 'views', 'panels', 'frame'),
  below('views', 'panels', 'frame'),
  below('panels', 'frame'),
);
