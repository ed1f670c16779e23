import query from '@tanstack/eslint-plugin-query'
import a11y from 'eslint-plugin-jsx-a11y-x'
import hooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

// places where words are read or heard
const READ = 'aria-label|aside|caption|empty|label|okText|cancelText|placeholder|says|title|what|head|alt|tip|meaning'
const LETTERS = 'Literal[value=/[A-Za-z]{2}/]'
const WORDS = [
  'JSXText[value=/[A-Za-z]{2}/]',
  `JSXAttribute[name.name=/^(${READ})$/] > ${LETTERS}`,
  `JSXAttribute[name.name=/^(${READ})$/] > JSXExpressionContainer > ConditionalExpression > ${LETTERS}`,
  `:matches(JSXElement, JSXFragment) > JSXExpressionContainer > ConditionalExpression > ${LETTERS}`,
  `Property[key.name=/^(label|head|says|title|empty|placeholder)$/] > ${LETTERS}`,
  'TemplateElement[value.raw=/[a-z]{2,}[,:;.]? [a-z]{2,}/]:not(JSXAttribute[name.name="className"] TemplateElement)',
  'Literal[value=/^[A-Z][a-z]+[,:;.]? [a-z]{2,} [a-z]/]',
]

export default tseslint.config(
  {
    ignores: [
      'dist',
      'src/offline/sw.js',
      'src/api/schema.d.ts',
      'eslint.config.js',
      'vite.config.ts',
      'vitest.config.ts',
    ],
  },
  ...tseslint.configs.recommendedTypeChecked,
  ...query.configs['flat/recommended'],
  hooks.configs.flat.recommended,
  a11y.configs.recommended,
  {
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      'no-nested-ternary': 'error',
      // what is read stands in the tables of src/words
      'no-restricted-syntax': [
        'error',
        ...WORDS.map((selector) => ({ selector, message: 'Words belong in src/words.' })),
      ],
      'jsx-a11y-x/label-has-associated-control': [
        'error',
        {
          controlComponents: [
            'Input',
            'InputNumber',
            'Select',
            'Slider',
            'Switch',
            'LengthInput',
            'Checkbox',
            'Password',
          ],
          depth: 4,
          assert: 'either',
        },
      ],
      'max-lines-per-function': ['error', { max: 80, skipBlankLines: true, skipComments: true }],
      'max-lines': ['error', 500],
      // drawings are moved with the arrow keys, rows walked through with them
      'jsx-a11y-x/no-noninteractive-element-interactions': 'off',
      'jsx-a11y-x/no-noninteractive-tabindex': 'off',
      'jsx-a11y-x/no-interactive-element-to-noninteractive-role': 'off',
      // a canvas, what is stored, and what somebody else saved come into the state by effects
      'react-hooks/set-state-in-effect': 'off',
    },
  },
  // a component lays out a line for each property of what it shows
  {
    files: ['**/*.tsx'],
    rules: { 'max-lines-per-function': ['error', { max: 110, skipBlankLines: true, skipComments: true }] },
  },
  // a scene of three.js is made to be changed from outside
  { files: ['src/cloud/*.tsx', 'src/cloud/*.ts'], rules: { 'react-hooks/immutability': 'off' } },
  // ledgers, canvases and scenes that are laid out in one piece: not to grow
  {
    files: [
      'src/cloud/{CloudView.tsx,marks.ts}',
      'src/georeference/ControlTable.tsx',
      'src/parts/Ledger.tsx',
      'src/plan/{CoverPart,Density}.tsx',
      'src/plan/{style,useLayers,usePlan}.ts',
      'src/sheets/Plan.tsx',
    ],
    rules: { 'max-lines-per-function': ['error', { max: 170, skipBlankLines: true, skipComments: true }] },
  },
  {
    files: ['**/*.test.ts', '**/*.test.tsx', 'src/testing/*'],
    rules: { 'max-lines-per-function': 'off', 'no-restricted-syntax': 'off' },
  },
  {
    // the tables themselves, shaders, and what fails before a table is read
    files: ['src/words/**', 'src/cloud/{material,depth,lines}.ts', 'src/api/client.ts'],
    rules: { 'no-restricted-syntax': 'off' },
  },
)
