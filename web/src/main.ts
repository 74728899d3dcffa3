import './theme/nonce'
import '@fontsource-variable/public-sans'
import '@fontsource-variable/jetbrains-mono'
import './theme/base.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router'

createApp(App)
  .use(router)
  .use(VueQueryPlugin, { queryClientConfig: { defaultOptions: { queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: false } } } })
  .mount('#app')
