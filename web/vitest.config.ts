import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

// Tests of what the console works out by itself. How it looks and works with the service is tried in a browser, from Go.
export default defineConfig({ plugins: [vue()], test: { environment: 'happy-dom', include: ['tests/*.test.ts'] } })
