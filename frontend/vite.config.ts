import { fileURLToPath } from 'node:url'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import { version } from './package.json'
import { manual } from './build/manual'
import { notices } from './build/notices'

export default defineConfig({
  plugins: [vue(), manual(), notices()],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  build: {
    outDir: '../src/escala/web/static',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    // The page of a share loads nothing of the application but its style.
    rolldownOptions: { input: ['index.html', 'share.html'] },
  },
  define: { __VERSION__: JSON.stringify(version) },
  server: { fs: { allow: ['..'] }, proxy: { '/api': 'http://127.0.0.1:8320' } },
})
