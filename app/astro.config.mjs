import node from '@astrojs/node';
import react from '@astrojs/react';
import AstroPWA from '@vite-pwa/astro';
import { defineConfig } from 'astro/config';
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

// Shared memory needs an isolated page; the built server sets the same headers (server/main.mjs).
const ISOLATION = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
  'Cross-Origin-Resource-Policy': 'same-origin',
};

const client = fileURLToPath(new URL('./dist/client', import.meta.url));

// Once visited, the whole application is on the machine: it goes on without the server, and can be installed.
const offline = AstroPWA({
  registerType: 'prompt',
  injectRegister: false,
  outDir: client,
  workbox: {
    globDirectory: client,
    swDest: `${client}/sw.js`,
    globPatterns: ['**/*.{html,js,css,woff2,svg,wasm,jpg,glb,obj,uplandcast}'],
    maximumFileSizeToCacheInBytes: 64 * 2 ** 20,
    // A terrain is named behind the question mark; its page is one.
    ignoreURLParametersMatching: [/./],
    navigateFallback: null,
    cleanupOutdatedCaches: true,
  },
  manifest: {
    name: 'Upland Cast',
    short_name: 'Upland Cast',
    description: 'Heightmaps and displaced meshes, kept true.',
    lang: 'en',
    start_url: '/',
    display: 'standalone',
    background_color: '#f3efe6',
    theme_color: '#f3efe6',
    icons: [{ src: '/icon.svg', sizes: 'any', type: 'image/svg+xml', purpose: 'any' }],
    file_handlers: [
      {
        action: '/',
        accept: {
          'application/x-uplandcast': ['.uplandcast'],
          'image/tiff': ['.tif', '.tiff'],
          'image/png': ['.png'],
          'image/x-exr': ['.exr'],
          'application/octet-stream': ['.raw', '.r16', '.r32', '.hgt', '.bil', '.flt'],
          'text/plain': ['.asc', '.xyz'],
          'model/gltf-binary': ['.glb'],
          'model/obj': ['.obj'],
        },
      },
    ],
  },
});

/** Another one wherever the core may give other bytes; what is served while it is being written, at every start. */
function coreEdition() {
  if (!process.argv.includes('build')) return String(Date.now());
  const core = fileURLToPath(new URL('../core/', import.meta.url));
  const hash = createHash('sha256');
  const own = (file) => file.endsWith('.ts') && !file.endsWith('.test.ts') && !file.includes('node_modules');
  for (const file of readdirSync(core, { recursive: true }).filter(own).sort()) hash.update(file).update(readFileSync(`${core}${file}`));
  return hash.digest('hex');
}

export default defineConfig({
  srcDir: '.',
  publicDir: 'public',
  output: 'static',
  adapter: node({ mode: 'middleware' }),
  integrations: [react(), offline],
  devToolbar: { enabled: false },
  experimental: {
    csp: {
      directives: [
        "default-src 'self'",
        "img-src 'self' data: blob:",
        "connect-src 'self' data: blob:",
        "worker-src 'self' blob:",
        "font-src 'self' data:",
        "object-src 'none'",
        "base-uri 'self'",
        "form-action 'self'",
      ],
      scriptDirective: { resources: ["'self'", "'wasm-unsafe-eval'"] },
      styleDirective: { resources: ["'self'", "'unsafe-inline'"] },
    },
  },
  vite: {
    server: { headers: ISOLATION },
    worker: { format: 'es' },
    define: { 'import.meta.env.CORE_EDITION': JSON.stringify(coreEdition()) },
    build: { target: 'es2022', chunkSizeWarningLimit: 1600 },
  },
});
