import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

// In development the page is served by Vite and asks the server that `jamlips serve` runs.
const server = 'http://127.0.0.1:7420';

export default defineConfig({
  plugins: [react()],
  build: {
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      output: {
        // The renderer and the parts are asked for beside the page's own code, and kept when that changes.
        advancedChunks: {
          groups: [
            { name: 'three', test: /node_modules[\\/]three/ },
            {
              name: 'parts',
              test: /node_modules[\\/](@mantine|react|react-dom|@floating-ui|@tanstack|scheduler)/,
            },
          ],
        },
      },
    },
  },
  server: {
    proxy: { '/api': { target: server, ws: true, changeOrigin: true, headers: { origin: server } } },
  },
});
