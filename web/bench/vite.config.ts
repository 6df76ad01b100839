import { defineConfig } from 'vite'

/**
 * The page that `kt bench stage` measures; built from `web/` apart from the application and not shipped
 * with it.
 */
export default defineConfig({
  root: 'bench',
  base: '/reference/page/',
  build: { target: 'es2022', outDir: '../../var/bench-web', emptyOutDir: true, chunkSizeWarningLimit: 1500 },
})
