import { request } from 'node:http';
import react from '@vitejs/plugin-react';
import { defineConfig, type Plugin } from 'vite';
import { demoBookings, today, token } from './src/demo.ts';
import { memoryRegister } from './src/register.ts';
import { startService } from './src/service.ts';

/** The bookings service with demo data, under `/api`. */
const office = (): Plugin => ({
  name: 'harbour office',
  async configureServer(server) {
    const register = memoryRegister(() => today);
    for (const booking of demoBookings) await register.enter(booking);
    const service = await startService({ register, tokens: { [token]: '2031-12-31' }, today: () => today });
    server.httpServer?.once('close', () => void service.close());
    server.middlewares.use('/api', (asked, answer) => {
      const passed = request(`${service.url}${asked.url}`, { method: asked.method, headers: asked.headers }, (given) => {
        answer.writeHead(given.statusCode ?? 502, given.headers);
        given.pipe(answer);
      });
      passed.on('error', () => answer.writeHead(502).end('{}'));
      asked.pipe(passed);
    });
  },
});

// The page loads the readers of data files when a suite first reads one. If they are known in advance, the page need not be reloaded for
// them.
const readers = ['papaparse', 'yaml', 'fflate', 'saxes'].map((name) => `red-lattice > ${name}`);

export default defineConfig({ plugins: [react(), office()], optimizeDeps: { include: readers } });
