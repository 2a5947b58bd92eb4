import { fileURLToPath } from 'node:url'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [vue()],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  build: {
    outDir: '../src/escala/web/static',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    // The page of a share loads nothing of the application but its style.
    rolldownOptions: { input: ['index.html', 'share.html'] },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8320' } },
})
