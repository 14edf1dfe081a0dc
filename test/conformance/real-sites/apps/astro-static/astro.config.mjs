import { defineConfig } from 'astro/config';

export default defineConfig({ site: 'https://ferry.saltmarsh.example', build: { format: 'file' }, telemetry: false });
