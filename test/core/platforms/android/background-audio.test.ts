import { expect, it } from 'vitest';
import { resolveApp } from '../../../../src/core/app/app.js';
import { readAndroidOptions } from '../../../../src/core/platforms/android/app/options.js';
import { readProject } from '../../../../src/core/project/project.js';
import { byHandFindings } from '../../../../src/core/store/release/by-hand.js';
import { packFindings } from '../../../../src/core/tasks/pack-findings.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

/** A hosted app whose pages play while it is not on screen. */
function playing(android: object, inside?: readonly string[]) {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'hull.json': JSON.stringify({
      app: { id: 'example.saltmarsh.talk', name: 'Harbour talk', version: '1.0.0', build: 1 },
      web: { url: 'https://talk.saltmarsh.example/', ...(inside ? { inside } : {}) },
      android,
    }),
  });
  return readProject(dir);
}

async function said(android: object, inside?: readonly string[]) {
  const project = playing(android, inside);
  const findings = await packFindings(project, await resolveApp(project), readAndroidOptions(project), false);
  return findings.map(({ code, severity, location }) => [code, severity, location.pointer]);
}

it('says where playing in the background would do nothing', async () => {
  expect(await said({ background_audio: true })).toEqual([]);
  expect(await said({ background_audio: true, engine: 'browser' })).toEqual([
    ['pack.background-audio', 'suggestion', '/android/background_audio'],
  ]);
  const rules = ['https://talk.saltmarsh.example/*', 'https://talk-*.saltmarsh.example/*'];
  expect(await said({ background_audio: true }, rules)).toEqual([
    ['pack.background-audio', 'warning', '/web/inside'],
  ]);
  expect(await said({}, rules)).toEqual([]);
});

it('is declared in the store’s console, unless that is done', () => {
  const facts = { categories: [], hasSignIn: false, hosts: [] };
  const keys = (android: object) =>
    byHandFindings(playing(android), 'android', facts, '2026-11-30').filter(({ observed }) =>
      observed.includes('android.background_audio'),
    );
  const [declared, ...more] = keys({ background_audio: true });
  expect(more).toEqual([]);
  expect(JSON.stringify(declared?.fix)).toContain('media playback');
  expect(keys({})).toEqual([]);
  expect(keys({ background_audio: true, engine: 'browser' })).toEqual([]);
});
