import tseslint from 'typescript-eslint'
import regexp from 'eslint-plugin-regexp'
import vue from 'eslint-plugin-vue'
import { roomsPlugin } from './scripts/rooms.mjs'

const clockAndChance = ['Date', 'Math'].map((object) => ({
  object,
  property: object === 'Date' ? 'now' : 'random',
  message: 'core/ is pure: time and random numbers come in as arguments.',
}))

export default tseslint.config(
  { ignores: ['dist/', 'data/', 'node_modules/', 'standins/site/assets/'] },
  ...tseslint.configs.recommended,
  ...vue.configs['flat/recommended'],
  {
    files: ['**/*.vue'],
    languageOptions: { parserOptions: { parser: tseslint.parser } },
  },
  {
    plugins: { rooms: roomsPlugin, regexp },
    rules: {
      'rooms/imports': 'error',
      'rooms/circles': 'error',
      // Texts of strangers are read with them: none may take more than its length's time.
      'regexp/no-super-linear-backtracking': ['error', { report: 'potential' }],
      // "!= null" asks for both kinds of nothing, which libraries mix.
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'no-console': 'off',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/multi-word-component-names': 'off',
      'vue/require-default-prop': 'off',
      'vue/valid-v-slot': ['error', { allowModifiers: true }],
      'vue/attributes-order': 'off',
    },
  },
  {
    // A promise that nobody waits for loses its error. Where one is meant to go on by itself, its catch says what becomes of the error.
    files: ['{core,process,delivery,objects,lab,server,cli}/**/*.ts'],
    ignores: ['**/*.test.ts', '**/testing/**'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/await-thenable': 'error',
      '@typescript-eslint/no-unnecessary-type-assertion': 'error',
      '@typescript-eslint/no-base-to-string': 'error',
      '@typescript-eslint/restrict-plus-operands': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/no-floating-promises': ['error', { ignoreVoid: false }],
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false } }],
    },
  },
  {
    files: ['core/**/*.ts'],
    ignores: ['core/**/*.test.ts'],
    rules: {
      'no-restricted-properties': ['error', ...clockAndChance],
      'no-restricted-globals': ['error', 'document', 'window', 'fetch', 'process', 'setTimeout', 'performance'],
      'no-restricted-syntax': [
        'error',
        {
          selector: "NewExpression[callee.name='Date'][arguments.length=0]",
          message: 'core/ is pure: the time comes in as an argument.',
        },
      ],
    },
  },
)
