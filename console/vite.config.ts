import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'
import { compress } from './compress'

export default defineConfig({
  plugins: [react(), compress()],
  build: {
    // Into the package, so that the service and the wheel find it.
    outDir: '../src/loricate/_console',
    emptyOutDir: true,
    manifest: false,
    rolldownOptions: {
      treeshake: {
        // Lets the recipes that no page uses fall away.
        manualPureFunctions: [
          'defineConfig',
          'createAnatomy',
          'createSystem',
          'defineRecipe',
          'defineSlotRecipe',
        ],
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8640', '/health': 'http://127.0.0.1:8640' } },
})
