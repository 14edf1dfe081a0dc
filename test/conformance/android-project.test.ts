import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { inspectPackage } from '../../src/core/platforms/android/inspect/inspect.js';
import { hull } from '../support/hull.js';
import { ask, readerTest } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** The exported source project, as the platform's own compilers read it. */

const dir = temporaryFolder();
const project = join(dir, 'out/android-project');
const main = join(project, 'app/src/main');

beforeAll(async () => {
  writeFiles(dir, {
    'site/index.html': '<!doctype html><title>Ferry</title>',
    'site/pier.html': '<!doctype html><title>Pier</title>',
    'icon.svg':
      '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="3"/></svg>',
    'hull.json': JSON.stringify({
      app: {
        id: 'example.saltmarsh.ferry',
        name: `Salt & "Marsh" <Ferry>'s @ 🚢`,
        short_name: '@Ferry',
        version: '1.4.0',
        build: 7,
        translations: {
          de: { name: 'Fähre' },
          'pt-BR': { name: 'Barca' },
          'zh-Hant': { name: '渡輪' },
          fil: { name: 'Bangka' },
        },
      },
      web: {
        folder: 'site',
        insecure: { 'http://pier-cam.saltmarsh.example': 'The pier camera -- has no TLS.' },
      },
      look: { icon: 'icon.svg', orientation: 'portrait' },
      permissions: { geolocation: 'Shows the pier nearest to you.' },
      links: [{ host: 'ferry.saltmarsh.example', paths: ['/a.b*c', '!/old/*'] }],
      shortcuts: [{ name: 'Nearest pier', url: '/pier.html' }],
      android: { scheme: 'saltmarsh-ferry' },
    }),
  });
  const made = await hull(['pack', 'android-project'], { cwd: dir });
  expect(made.code, made.err).toBe(0);
  // Of a project for newer devices alone, whose launcher icons are drawn by the system.
  const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
  config.android.min_sdk = 26;
  config.android.key = 'release';
  config.keys = { release: { file: 'keys/release.p12', alias: 'upload' } };
  writeFiles(join(dir, 'newer'), { 'hull.json': JSON.stringify(config) });
  execFileSync('cp', ['-r', join(dir, 'site'), join(dir, 'icon.svg'), join(dir, 'newer')]);
  const newer = await hull(['pack', 'android-project'], { cwd: join(dir, 'newer') });
  expect(newer.code, newer.err).toBe(0);
});

/** The two projects, by their oldest API level. */
const PROJECTS = { 24: project, 26: join(dir, 'newer/out/android-project') } as const;

/** Framework classes and resources that the shell's own build has fetched. */
function framework(version: string): string | undefined {
  const root = join(homedir(), '.m2/repository/org/robolectric');
  for (const kind of ['android-all', 'android-all-instrumented']) {
    const folder = join(root, kind);
    const found = existsSync(folder)
      ? readdirSync(folder).find((name) => name.startsWith(version))
      : undefined;
    const jar = found && readdirSync(join(folder, found)).find((name) => name.endsWith('.jar'));
    if (found && jar) return join(folder, found, jar);
  }
  return undefined;
}

/** The newest that a build on this machine’s JDK takes. */
const newest = framework('16-') ?? framework('15-');

const withFramework = (version: string) => (framework(version) === undefined ? it.skip : it);

describe('the exported project', () => {
  readerTest('xmllint', 'has well-formed XML', () => {
    const files = readdirSync(main, { recursive: true, encoding: 'utf8' }).filter((name) =>
      name.endsWith('.xml'),
    );
    expect(files.length).toBeGreaterThan(8);
    ask('xmllint', '--noout', ...files.map((name) => join(main, name)));
  });

  readerTest('aapt2', 'has resources that the platform’s compiler takes', () => {
    ask('aapt2', 'compile', '--dir', join(main, 'res'), '-o', join(dir, 'res.zip'));
  });

  for (const minSdk of [24, 26] as const) {
    withFramework('11-')(
      `links with its manifest into a package that says the same (from API ${minSdk}, framework of API 30)`,
      async () => {
        const main = join(PROJECTS[minSdk], 'app/src/main');
        // This linker knows the framework up to API 30: what is newer is taken out first.
        const copy = join(dir, `linked-${minSdk}`);
        mkdirSync(copy, { recursive: true });
        execFileSync('cp', ['-r', join(main, 'res'), copy]);
        for (const name of readdirSync(join(copy, 'res'))) {
          if (name.endsWith('-v31')) rmSync(join(copy, 'res', name), { recursive: true });
        }
        const manifest = readFileSync(join(main, 'AndroidManifest.xml'), 'utf8')
          .replace('<manifest ', '<manifest package="example.saltmarsh.ferry" ')
          // biome-ignore lint/suspicious/noTemplateCurlyInString: the platform's build puts it in
          .replace('${applicationId}', 'example.saltmarsh.ferry')
          .replaceAll(/\|(?:grammaticalGender|fontWeightAdjustment)/g, '')
          .replaceAll(
            /\s+android:(?:dataExtractionRules|enableOnBackInvokedCallback|localeConfig)="[^"]*"/g,
            '',
          )
          .replace(/<uri-relative-filter-group[\s\S]*?<\/uri-relative-filter-group>/g, '');
        writeFileSync(join(copy, 'AndroidManifest.xml'), manifest);
        ask('aapt2', 'compile', '--dir', join(copy, 'res'), '-o', join(copy, 'res.zip'));
        const apk = join(copy, 'app.apk');
        ask(
          'aapt2',
          'link',
          '-o',
          apk,
          '-I',
          framework('11-') as string,
          '--manifest',
          join(copy, 'AndroidManifest.xml'),
          '--min-sdk-version',
          String(minSdk),
          '--target-sdk-version',
          '36',
          '--version-code',
          '7',
          '--version-name',
          '1.4.0',
          join(copy, 'res.zip'),
        );
        const badging = ask('aapt2', 'dump', 'badging', apk);
        expect(badging).toContain("application-label-de:'Fähre'");
        expect(badging).toContain("launchable-activity: name='jollyhull.shell.PageActivity'  label='@Ferry'");
        expect(badging).toContain("uses-permission: name='android.permission.ACCESS_FINE_LOCATION'");
        const facts = await inspectPackage(apk);
        expect([facts.label, facts.launcherLabel]).toEqual([`Salt & "Marsh" <Ferry>'s @ 🚢`, '@Ferry']);
        const tree = ask('aapt2', 'dump', 'xmltree', '--file', 'AndroidManifest.xml', apk);
        // The path counts before API 35 alone: it is a resource with another value from then on.
        expect(tree).toMatch(/pathPattern\(0x0101002c\)=@0x/);
        expect(ask('aapt2', 'dump', 'resources', apk)).toMatch(
          /string\/link_0\s+\(\) "\/a\\\.b\.\*c"\s+\(v35\) "-"/,
        );
        expect(tree).toMatch(/screenOrientation\(0x0101001e\)=12/);
        expect(ask('aapt2', 'dump', 'resources', apk)).toMatch(/mipmap\/icon_round[\s\S]*?anydpi-v26/);
      },
    );
  }

  it('is signed with the project’s key by a password that no file holds', () => {
    const read = (name: string) => readFileSync(join(PROJECTS[26], name), 'utf8');
    expect(read('gradle.properties')).toContain(
      'hull.keystore=../../keys/release.p12\nhull.keyAlias=upload\n',
    );
    expect(read('app/build.gradle.kts')).toContain('storePassword = System.getenv("HULL_KEY_PASSWORD")');
    expect(read('README.md')).toContain('HULL_KEY_PASSWORD=… ./gradlew bundleRelease');
    expect(read('gradle/wrapper/gradle-wrapper.properties')).toMatch(/gradle-\d+\.\d+\.\d+-bin\.zip/);
    // A project whose key is not here signs nothing.
    expect(readFileSync(join(project, 'app/build.gradle.kts'), 'utf8')).not.toContain('signingConfig');
    const manifest = read('app/src/main/AndroidManifest.xml');
    // biome-ignore lint/suspicious/noTemplateCurlyInString: the platform's build puts it in
    expect(manifest).toContain('android:authorities="${applicationId}.shots"');
    expect(read('app/src/main/res/values/strings.xml')).toContain(
      '<string name="statements" translatable="false">',
    );
    expect(read('app/src/test/java/jollyhull/shell/PackagedAppTest.java')).toContain('class PackagedAppTest');
  });

  (newest === undefined ? it.skip : it)('has Java that compiles against the framework', () => {
    const sources = readdirSync(join(main, 'java'), { recursive: true, encoding: 'utf8' })
      .filter((name) => name.endsWith('.java'))
      .map((name) => join(main, 'java', name));
    const out = join(dir, 'classes');
    mkdirSync(out);
    const compiler = join(homedir(), '.m2/repository/org/eclipse/jdt/ecj');
    const [version = ''] = readdirSync(compiler);
    const jar = join(compiler, version, `ecj-${version}.jar`);
    const classes = newest as string;
    const options = ['--release', '8', '-nowarn', '-encoding', 'UTF-8', '-classpath', classes, '-d', out];
    execFileSync('java', [
      '-cp',
      jar,
      'org.eclipse.jdt.internal.compiler.batch.Main',
      ...options,
      ...sources,
    ]);
    expect(existsSync(join(out, 'jollyhull/shell/PageActivity.class'))).toBe(true);
  });

  it('is brought up to date by hull refit, with two edited files kept and one merged', async () => {
    const activity = join(main, 'java/jollyhull/shell/PageActivity.java');
    const gradle = join(project, 'app/build.gradle.kts');
    const strings = join(main, 'res/values/strings.xml');
    const edit = (file: string, from: string, to: string) => {
      const text = readFileSync(file, 'utf8');
      expect(text).toContain(from);
      writeFileSync(
        file,
        text.replace(from, () => to),
      );
    };
    edit(
      activity,
      '    private ShellSettings settings;',
      '    private final int mine = 7;\n    private ShellSettings settings;',
    );
    edit(gradle, '    compileOptions {', '    // mine\n    compileOptions {');
    const nothing = await hull(['refit', 'out/android-project'], { cwd: dir });
    expect([nothing.code, nothing.err]).toEqual([0, '']);
    expect(nothing.out).toBe(
      '2 files kept with your edits\n  app/build.gradle.kts\n  app/src/main/java/jollyhull/shell/PageActivity.java\nNothing to do: the project is up to date.\n',
    );
    edit(join(dir, 'hull.json'), '"build":7', '"build":8');
    edit(join(dir, 'hull.json'), '"short_name":"@Ferry"', '"short_name":"Boat"');
    expect((await hull(['refit', 'out/android-project', '--check'], { cwd: dir })).code).toBe(1);
    const done = await hull(['refit', 'out/android-project', '--json'], { cwd: dir });
    expect(done.code, done.err).toBe(0);
    expect(JSON.parse(done.out).counts).toMatchObject({ merged: 1, kept: 1, updated: 1, conflict: 0 });
    expect(readFileSync(gradle, 'utf8')).toMatch(/versionCode = 8[\s\S]*\/\/ mine/);
    expect(readFileSync(activity, 'utf8')).toContain('private final int mine = 7;');
    expect(readFileSync(strings, 'utf8')).toContain('<string name="label">Boat</string>');
    // The same line on both sides.
    edit(gradle, 'versionCode = 8', 'versionCode = 80');
    edit(join(dir, 'hull.json'), '"build":8', '"build":9');
    const conflict = await hull(['refit', 'out/android-project'], { cwd: dir });
    expect([conflict.code, conflict.out]).toEqual([
      1,
      expect.stringContaining('both changed the same lines'),
    ]);
    expect(readFileSync(gradle, 'utf8')).toContain('versionCode = 80');
    expect(readFileSync(`${gradle}.hull-new`, 'utf8')).toContain('versionCode = 9');
    const twice = await hull(['pack', 'android-project'], { cwd: dir });
    expect([twice.code, twice.err]).toEqual([2, expect.stringContaining('project.exists')]);
  });
});
