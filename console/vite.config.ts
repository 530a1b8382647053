import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  // A line end between two words is a blank, as in HTML: prettier makes one of the other.
  plugins: [vue({ template: { compilerOptions: { whitespace: 'preserve' } } })],
  build: { outDir: 'dist', emptyOutDir: false, chunkSizeWarningLimit: 1500 },
  server: { proxy: { '/api': 'http://127.0.0.1:8466' } },
})
