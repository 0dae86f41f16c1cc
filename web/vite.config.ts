import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'

// The console is built into the service: make build puts it where the binary embeds it.
export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  build: { outDir: '../service/console/dist', emptyOutDir: true, target: 'es2022', chunkSizeWarningLimit: 700 },
  server: { proxy: { '/v1': 'http://127.0.0.1:8230' } },
})
