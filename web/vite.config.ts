import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  base: '/static/',
  // A line's end between two words is a space, as in HTML: else words touch wherever the formatter breaks a line.
  plugins: [vue({ template: { compilerOptions: { whitespace: 'preserve' } } })],
  // Fonts stay files: the page's policy allows none inside a style sheet.
  build: { assetsInlineLimit: 0, manifest: 'manifest.json', rolldownOptions: { input: 'src/main.ts' } },
})
