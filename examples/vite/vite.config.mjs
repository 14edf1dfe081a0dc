// vite build ends with a signed package: dist/ is what hull.json packs. The password comes from HULL_KEY_PASSWORD.
import { hull } from 'jolly-hull/vite';

export default {
  // Pages that are packed are below the root of their host; relative addresses work below a path too.
  base: './',
  plugins: [hull({ kinds: ['apk'], record: true })],
};
