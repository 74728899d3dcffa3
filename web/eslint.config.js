import prettier from 'eslint-config-prettier/flat'
import boundaries from 'eslint-plugin-boundaries'
import pluginVue from 'eslint-plugin-vue'
import { defineConfigWithVueTs, vueTsConfigs } from '@vue/eslint-config-typescript'

// Which folder may use which: drawing knows no server, the domain knows nobody.
const layers = ['api', 'domain', 'pictures', 'ui', 'theme', 'composables', 'views']
const elements = layers.map((type) => ({ type, pattern: `src/${type}/**` , mode: 'full'}))

export default defineConfigWithVueTs(
  { ignores: ['dist/**', 'src/api/schema.d.ts'] },
  pluginVue.configs['flat/recommended'],
  vueTsConfigs.recommended,
  {
    plugins: { boundaries },
    settings: { 'boundaries/elements': elements, 'import/resolver': { node: { extensions: ['.ts', '.vue'] } } },
    rules: {
      'boundaries/element-types': ['error', { default: 'disallow', rules: [
        { from: 'domain', allow: ['domain', 'api'] },
        { from: 'api', allow: ['api'] },
        { from: 'theme', allow: ['theme'] },
        { from: 'pictures', allow: ['domain', 'theme', 'api', 'pictures'] },
        { from: 'composables', allow: ['api', 'domain', 'theme', 'composables'] },
        { from: 'ui', allow: ['api', 'domain', 'theme', 'composables', 'ui'] },
        { from: 'views', allow: ['api', 'domain', 'pictures', 'ui', 'theme', 'composables', 'views'] },
      ] }],
      'vue/multi-word-component-names': 'off',
      'no-restricted-globals': ['error', { name: 'fetch', message: 'Server state goes through api/.' }],
    },
  },
  { files: ['src/api/patience.ts', 'src/api/known.ts'], rules: { 'no-restricted-globals': 'off' } },
  prettier,
)
