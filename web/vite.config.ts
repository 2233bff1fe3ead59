import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

// In development the page is served by Vite and asks the server that `jamlips serve` runs.
const server = 'http://127.0.0.1:7420';

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 1600 },
  server: {
    proxy: { '/api': { target: server, ws: true, changeOrigin: true, headers: { origin: server } } },
  },
});
