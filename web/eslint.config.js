import vue from 'eslint-plugin-vue'
import ts from 'typescript-eslint'

const ours = 'Controls are Vuetify’s; only drawn widgets have elements of their own.'

export default ts.config(
  { ignores: ['dist', 'src/api/schema.d.ts', 'src/api/bounds.ts'] },
  ...ts.configs.recommended,
  ...vue.configs['flat/essential'],
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser } } },
  {
    rules: {
      'max-len': ['error', { code: 110 }],
      'vue/multi-word-component-names': 'off',
      'vue/no-restricted-html-elements': [
        'error',
        ...['button', 'input', 'select', 'textarea', 'dialog'].map((element) => ({ element, message: ours })),
      ],
    },
  },
)
