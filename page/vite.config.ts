import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  build: { target: 'es2022', cssCodeSplit: false, assetsInlineLimit: 100_000_000, modulePreload: false },
});
