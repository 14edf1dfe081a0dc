import { describe, expect, it } from 'vitest';
import { readProject } from '../../../src/core/project/project.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

function project(config: object) {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'hull.json': JSON.stringify(
      {
        app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
        web: { url: 'https://ferry.saltmarsh.example/' },
        ...config,
      },
      undefined,
      2,
    ),
  });
  return readProject(dir);
}

describe('settings', () => {
  it('have every default, those of one engine among them', () => {
    const { settings } = project({});
    expect(settings.app.short_name).toBe('Saltmarsh Ferry');
    expect(settings.look).toMatchObject({
      display: 'standalone',
      theme_color: '#ffffff',
      dark: { theme_color: '#ffffff', background_color: '#ffffff' },
      window: { edges: 'inset', keep_screen_on: false },
    });
    expect(settings.android).toMatchObject({ id: 'example.saltmarsh.ferry', engine: 'webview', min_sdk: 24 });
    expect(project({ android: { engine: 'browser' } }).settings.android.min_sdk).toBe(26);
    expect(settings.web.errors).toEqual({ offline: 'shell', not_found: 'page', server: 'page' });
  });

  it('follow what they follow: dark colours the light ones, the theme the background', () => {
    const { look } = project({
      look: { background_color: '#f4f1ea', dark: { theme_color: '#06202c' } },
    }).settings;
    expect(look).toMatchObject({
      theme_color: '#f4f1ea',
      dark: { theme_color: '#06202c', background_color: '#f4f1ea' },
    });
  });

  it('say where they come from: a line, another setting, a default', () => {
    const { origin } = project({ look: { background_color: '#f4f1ea' } });
    expect(origin('/look/background_color')).toMatchObject({ from: 'hull.json', location: { line: 12 } });
    expect(origin('/look/theme_color')).toEqual({ from: 'setting', pointer: '/look/background_color' });
    expect(origin('/look/dark/theme_color')).toEqual({ from: 'setting', pointer: '/look/theme_color' });
    expect(origin('/look/display')).toEqual({ from: 'default' });
    expect(origin('/android/id')).toEqual({ from: 'setting', pointer: '/app/id' });
    expect(project({}).origin('/look/theme_color')).toEqual({ from: 'default' });
  });
});
