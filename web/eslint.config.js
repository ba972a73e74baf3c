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
  ...tseslint.configs.strict,
  { plugins: { 'react-hooks': hooks }, rules: hooks.configs.recommended.rules },
  below('shared', 'views', 'panels', 'frame'),
  below('views', 'panels', 'frame'),
  below('panels', 'frame'),
);
