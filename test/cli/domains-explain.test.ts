import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { hull } from '../support/hull.js';
import { HOST, project, start, WELL_KNOWN } from '../support/linked-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

describe('hull domains explain', () => {
  it('explains each platform by the rule that decides', async () => {
    const dir = project();
    await hull(['domains', 'write'], { cwd: dir });
    const urls = [
      `https://${HOST}/timetable/today`,
      `https://${HOST}/admin/`,
      'https://tickets.saltmarsh.example/show',
    ];
    const ran = await hull(['domains', 'explain', ...urls, '--json', '--steps'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    const answers = JSON.parse(ran.out).answers;
    const openers = answers.map((one: Record<string, { opens: string }>) =>
      ['android', 'apple', 'web'].map((platform) => one[platform]?.opens),
    );
    expect(openers).toEqual([
      ['app', 'app', 'app'],
      ['browser', 'browser', 'app'],
      ['browser', 'browser', 'app'],
    ]);
    expect(answers[1].android.before).toEqual({ version: 'API 35', opens: 'app-hands-on' });
    expect(answers[1].apple.location).toMatchObject({ file: 'site/.well-known/apple-app-site-association' });
    const shown = await hull(['domains', 'explain', ...urls, '--steps'], { cwd: dir });
    expect(shown.out).toContain('first match: not /admin/*');
    expect(shown.out).toContain('the app itself hands it to the browser');
  });

  it('answers before anything is written, and without a password', async () => {
    const env = { HULL_KEY_PASSWORD: undefined };
    const ran = await hull(['domains', 'explain', `https://${HOST}/pier.html`], { cwd: project(), env });
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toMatch(/Android +app .*as hull\.json would have it/);
  });

  it('goes by the hosts themselves where asked to, and by what their lists include', async () => {
    const dir = project();
    await hull(['domains', 'write'], { cwd: dir });
    const other = 'https://tickets.saltmarsh.example/.well-known/assetlinks.json';
    writeFiles(dir, { [`${WELL_KNOWN}/assetlinks.json`]: JSON.stringify([{ include: other }]) });
    const serving = await start(['serve', '--https'], dir);
    const { port } = serving.facts.https as { port: number };
    const options = [HOST, 'tickets.saltmarsh.example']
      .flatMap((host) => ['--resolve', `${host}=127.0.0.1:${port}`])
      .concat('--ca', '.hull/serve-ca.pem', '--live');
    const ran = await hull(['domains', 'explain', `https://${HOST}/show?code=1`, ...options, '--json'], {
      cwd: dir,
    });
    expect(ran.code, ran.err).toBe(0);
    const [{ android }] = JSON.parse(ran.out).answers;
    expect(android.opens).toBe('app');
    expect(android.location.url).toBe(`https://${HOST}/.well-known/assetlinks.json`);
  });

  it('reads the manifest and the pages of a hosted app from its host', async () => {
    const dir = project();
    await hull(['domains', 'write'], { cwd: dir });
    const serving = await start(['serve', '--https'], dir);
    const { port } = serving.facts.https as { port: number };
    const hosted = temporaryFolder();
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    const { folder: _folder, ...web } = config.web;
    writeFiles(hosted, { 'hull.json': JSON.stringify({ ...config, web, keys: {} }) });
    const ask = (...more: string[]) =>
      hull(['domains', 'explain', '--ca', join(dir, '.hull/serve-ca.pem'), ...more], { cwd: hosted });
    const here = [HOST, 'tickets.saltmarsh.example'].flatMap((host) => [
      '--resolve',
      `${host}=127.0.0.1:${port}`,
    ]);
    const one = await ask(`https://${HOST}/pier.html`, '--live', ...here);
    expect(one.code, one.err).toBe(0);
    expect(one.out).toMatch(/Installed web app +app +scope/);
    const all = await ask('--from-site', '--live', ...here);
    expect(all.code, all.err).toBe(0);
    expect(all.out).toContain(`https://${HOST}/pier.html\n`);
    // A host that cannot be had hinders nothing else.
    const gone = await ask(`https://${HOST}/pier.html`, '--live', '--resolve', `${HOST}=127.0.0.1:9`);
    expect(gone.code, gone.err).toBe(0);
    expect(gone.err).toContain(`https://${HOST}/ could not be read`);
    const still = await ask(`https://${HOST}/pier.html`);
    expect(still.err).toContain('read with --live');
    expect((await ask('--from-site')).err).toContain('--live');
  });

  it('takes lists, pages and the sitemap', async () => {
    const dir = project();
    writeFiles(dir, {
      'list.txt': `# links\nhttps://${HOST}/a?b&c\n\n  https://elsewhere.example/\n`,
      'site/sitemap.xml': `<urlset><url><loc>https://${HOST}/admin/a?x=1&amp;y=2</loc></url></urlset>`,
    });
    const list = await hull(['domains', 'explain', '--from', 'list.txt', '--json'], { cwd: dir });
    expect(
      JSON.parse(list.out).answers.map((one: { android: { opens: string } }) => one.android.opens),
    ).toEqual(['app', 'browser']);
    const site = await hull(['domains', 'explain', '--from-site'], { cwd: dir });
    expect(site.code, site.err).toBe(0);
    expect(site.out).toMatch(/pier\.html +app +app +app/);
    expect(site.out).toMatch(/admin\/a\?x=1&y=2 +browser/);
    const bad = await hull(['domains', 'explain', 'ferry'], { cwd: dir });
    expect([bad.code, bad.err.includes('domains.bad-url')]).toEqual([2, true]);
    const typed = await hull(['domains', 'explain', 'pier'], { cwd: dir });
    expect([typed.code, typed.err]).toEqual([2, expect.stringContaining('"pier" is not an address')]);
    expect(typed.err, 'no place, no line for it').not.toMatch(/^ *at *$/m);
    writeFiles(dir, { 'bad.txt': `https://${HOST}/\n\nferry\n` });
    const line = await hull(['domains', 'explain', '--from', 'bad.txt'], { cwd: dir });
    expect(line.err).toContain('bad.txt:3');
    const none = await hull(['domains', 'explain'], { cwd: dir });
    expect([none.code, none.err.includes('domains.bad-option')]).toEqual([2, true]);
  });
});
