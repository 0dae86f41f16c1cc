// What a reader of the console's source can rely on, beside what the compiler says. How it is laid out is nobody's concern.
import vue from 'eslint-plugin-vue'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['src/api/schema.d.ts', 'node_modules', 'dist'] },
  ...ts.configs.recommended,
  ...vue.configs['flat/essential'],
  {
    files: ['**/*.ts', '**/*.vue'],
    languageOptions: { parserOptions: { parser: ts.parser } },
    rules: {
      eqeqeq: ['error', 'smart'],
      'no-console': 'error',
      'no-alert': 'error',
      'vue/no-v-html': 'error',
      'vue/require-explicit-emits': 'error',
      '@typescript-eslint/no-explicit-any': 'error',
    },
  },
)
