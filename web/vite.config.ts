import vue from '@vitejs/plugin-vue'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  base: '/static/',
  plugins: [vue(), vuetify()],
  define: { __VUE_OPTIONS_API__: 'false' },
  build: { target: 'es2022', chunkSizeWarningLimit: 1500 },
  server: { proxy: { '/api': 'http://127.0.0.1:8000' }, fs: { allow: ['..'] } },
  test: {
    include: ['tests/**/*.test.ts'],
    environment: 'jsdom',
    // One page for all files: each test opens what it needs anew.
    isolate: false,
    alias: {
      'idb-keyval': new URL('tests/drawer.ts', import.meta.url).pathname,
      'vue-echarts': new URL('tests/chart.ts', import.meta.url).pathname,
    },
    testTimeout: 30_000,
    setupFiles: ['tests/browser.ts'],
    server: { deps: { inline: ['vuetify'] } },
  },
})
