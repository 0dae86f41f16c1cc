import { defineConfig } from 'vite'

// The demo's game, built to where the binary embeds it.
export default defineConfig({
  root: '../examples/lantern-pass/game',
  base: '/play/lantern-pass/',
  build: { outDir: 'dist', emptyOutDir: false, target: 'es2022', modulePreload: false },
})
