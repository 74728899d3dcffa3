import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  base: '/static/',
  plugins: [vue()],
  // Fonts stay files: the page's policy allows none inside a style sheet.
  build: { assetsInlineLimit: 0, manifest: 'manifest.json', rolldownOptions: { input: 'src/main.ts' } },
})
