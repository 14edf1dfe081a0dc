import { execFileSync } from 'node:child_process';
import { cpSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { readMachO } from '../../src/core/formats/macho/reader.js';
import { withSignatureSpace } from '../../src/core/formats/macho/signature-space.js';
import { verifySlice } from '../../src/core/platforms/apple/signing/verify-program.js';
import { TEST_DEVICE } from '../../src/drydock/apple-device/options.js';
import { startDevice } from '../support/drydock.js';
import { DEMO_SITE, hull, run } from '../support/hull.js';
import { classMethods } from '../support/objc.js';
import { ask, readerTest } from '../support/readers.js';
import { temporaryFolder } from '../support/temporary.js';

/** Packages for Apple's systems before readers that others wrote. */

let dir: string;
let app: string;
const json = async (...words: string[]) => {
  const ran = await hull([...words, '--json'], { cwd: dir });
  expect(ran.code, ran.err + ran.out).toBe(0);
  return JSON.parse(ran.out);
};

beforeAll(async () => {
  dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  await json('begin', 'site', '--id', 'example.saltmarsh.ferry', '--icon', 'site/icons/icon.svg', '--yes');
  await json('drydock', 'team', '--yes');
  await json('pack', 'ipa');
  await json('pack', 'ipa', '--simulator');
  const [ipa] = readdirSync(join(dir, 'out')).filter((name) => name.endsWith('.ipa'));
  ask('unzip', '-q', join(dir, 'out', String(ipa)), '-d', join(dir, 'opened'));
  const [folder] = readdirSync(join(dir, 'opened/Payload'));
  app = join(dir, 'opened/Payload', String(folder));
}, 120_000);

describe('a package for devices', () => {
  readerTest('python3', 'holds before readers of programs and lists that are not ours', () => {
    const said = ask(
      'python3',
      'test/fixtures/check-bundle.py',
      app,
      join(dir, 'cd.bin'),
      join(dir, 'cms.der'),
    );
    expect(said).toMatch(/pages and 4\d files hold/);
  });

  readerTest('openssl', 'has a signature that holds, and no more once a byte is changed', () => {
    const verify = () =>
      ask(
        'openssl',
        ...['cms', '-verify', '-binary', '-inform', 'DER', '-in', join(dir, 'cms.der')],
        ...['-content', join(dir, 'cd.bin'), '-CAfile', join(dir, 'keys/apple-test-root.pem')],
        ...['-ignore_critical', '-purpose', 'any', '-out', '/dev/null'],
      );
    ask('python3', 'test/fixtures/check-bundle.py', app, join(dir, 'cd.bin'), join(dir, 'cms.der'));
    expect(verify()).toContain('successful');
    const changed = readFileSync(join(dir, 'cd.bin'));
    changed.writeUInt8(changed.readUInt8(100) ^ 1, 100);
    writeFileSync(join(dir, 'cd.bin'), changed);
    expect(verify).toThrow();
  });

  readerTest('openssl', 'has a profile that holds', () => {
    const profile = join(app, 'embedded.mobileprovision');
    const root = join(dir, 'keys/apple-test-root.pem');
    const said = ask(
      'openssl',
      ...['cms', '-verify', '-binary', '-inform', 'DER', '-in', profile, '-CAfile', root],
      ...['-ignore_critical', '-purpose', 'any', '-out', join(dir, 'profile.plist')],
    );
    expect(said).toContain('successful');
  });

  readerTest('plistutil', 'has lists that others read', () => {
    for (const path of ['Info.plist', 'PrivacyInfo.xcprivacy', '_CodeSignature/CodeResources']) {
      expect(ask('plistutil', '-f', 'xml', '-i', join(app, path)), path).toContain('<plist version="1.0">');
    }
    expect(ask('plistutil', '-f', 'xml', '-i', join(app, 'Info.plist'))).toContain(
      '<string>example.saltmarsh.ferry</string>',
    );
  });

  readerTest('unzip', 'is unpacked with a program that may be run, and nothing else', () => {
    const found = ask('find', app, '-type', 'f', '-perm', '-u+x').trim().split('\n');
    expect(found).toEqual([join(app, 'Shell')]);
  });

  readerTest('llvm-objdump-19', 'has a program for devices', () => {
    const headers = ask('llvm-objdump-19', '--macho', '--private-headers', join(app, 'Shell'));
    expect(headers).toMatch(/LC_BUILD_VERSION[\s\S]*platform (?:2|ios)[\s\S]*minos 15\.0/i);
    expect(headers).toMatch(/LC_CODE_SIGNATURE/);
  });
});

describe('the shell', () => {
  it('has the methods that the system alone calls, which nobody would miss before a device does', () => {
    for (const name of ['device-arm64', 'simulator-arm64', 'simulator-x86_64']) {
      const classes = classMethods(new Uint8Array(readFileSync(`shell/apple/dist/${name}`)));
      for (const [type, method] of [
        ['HullPage', 'webView:decidePolicyForNavigationAction:decisionHandler:'],
        ['HullPage', 'webView:createWebViewWithConfiguration:forNavigationAction:windowFeatures:'],
        ['HullPage', 'webView:runJavaScriptConfirmPanelWithMessage:initiatedByFrame:completionHandler:'],
        ['HullPage', 'webView:requestMediaCapturePermissionForOrigin:initiatedByFrame:type:decisionHandler:'],
        ['HullPage', 'webView:didReceiveAuthenticationChallenge:completionHandler:'],
        ['HullPageController', 'webView:didFailProvisionalNavigation:withError:'],
        ['HullPageController', 'webViewWebContentProcessDidTerminate:'],
        ['HullPageController', 'preferredStatusBarStyle'],
        ['HullPageController', 'policyOutside:action:'],
        ['HullPageController', 'pulled:'],
        ['HullPopup', 'webViewDidClose:'],
        ['HullPopup', 'close'],
        ['HullTroubleView', 'touched'],
        ['HullSchemeHandler', 'webView:startURLSchemeTask:'],
        ['HullSchemeHandler', 'URLSession:dataTask:didReceiveData:'],
        ['HullPageServices', 'userContentController:didReceiveScriptMessage:replyHandler:'],
        ['HullSceneDelegate', 'scene:willConnectToSession:options:'],
        ['HullSceneDelegate', 'scene:continueUserActivity:'],
        ['HullSceneDelegate', 'windowScene:performActionForShortcutItem:completionHandler:'],
        ['HullSceneDelegate', 'stateRestorationActivityForScene:'],
        ['HullNotices', 'userNotificationCenter:didReceiveNotificationResponse:withCompletionHandler:'],
        ['HullDownload', 'download:decideDestinationUsingResponse:suggestedFilename:completionHandler:'],
        ['HullSignIn', 'presentationAnchorForWebAuthenticationSession:'],
      ] as const) {
        expect(classes.get(type), `${type} in ${name}`).toContain(method);
      }
      // What only the shell calls is called without a search by name.
      expect(classes.get('HullSettings')).not.toContain('placeOf:');
    }
  });
});

describe('signatures of a linker', () => {
  readerTest('ld64.lld-19', 'verify here, and lie where ours would', () => {
    const work = join(dir, 'lld');
    mkdirSync(join(work, 'no-sdk'), { recursive: true });
    writeFileSync(join(work, 'a.c'), 'int numbers[9000] = {1}; int main(void) { return numbers[0]; }');
    writeFileSync(
      join(work, 'libSystem.tbd'),
      "--- !tapi-tbd\ntbd-version: 4\ntargets: [ arm64-ios ]\ninstall-name: '/usr/lib/libSystem.B.dylib'\nexports:\n  - targets: [ arm64-ios ]\n    symbols: [ dyld_stub_binder ]\n...\n",
    );
    const tool = (name: string, ...args: string[]) => execFileSync(name, args, { cwd: work });
    tool('clang-19', '-target', 'arm64-apple-ios15.0', '-isysroot', 'no-sdk', '-c', 'a.c', '-o', 'a.o');
    const link = (...more: string[]) =>
      tool(
        'ld64.lld-19',
        ...[
          '-arch',
          'arm64',
          '-platform_version',
          'ios',
          '15.0',
          '15.0',
          '-syslibroot',
          'no-sdk',
          '-e',
          '_main',
        ],
        ...['-no_uuid', '-headerpad', '0x100', 'a.o', 'libSystem.tbd', ...more],
      );
    link('-no_adhoc_codesign', '-o', 'plain');
    link('-adhoc_codesign', '-o', 'signed');
    const [plain, signed] = ['plain', 'signed'].map((name) => new Uint8Array(readFileSync(join(work, name))));
    if (plain === undefined || signed === undefined) throw new Error('nothing was linked');
    const report = verifySlice(signed, { infoPlist: undefined, codeResources: undefined }, '');
    expect(report).toMatchObject({ signed: 'by nobody', identifier: 'signed', faults: [] });
    // The same place, size and load command: what differs is the rounded size in memory alone.
    const theirs = readMachO(signed);
    const ours = withSignatureSpace(plain, theirs.signature?.size ?? 0);
    expect(ours.length).toBe(signed.length);
    const linkEdit = theirs.segments.find(({ name }) => name === '__LINKEDIT');
    const different: number[] = [];
    const end = theirs.signature?.offset ?? 0;
    for (let at = 0; at < end; at += 1) if (ours[at] !== signed[at]) different.push(at);
    const memorySize = (linkEdit?.command ?? 0) + 32;
    expect(different.filter((at) => at < memorySize || at >= memorySize + 8)).toEqual([]);
    const changed = new Uint8Array(signed);
    changed[end - 1] = (changed[end - 1] ?? 0) ^ 1;
    expect(verifySlice(changed, { infoPlist: undefined, codeResources: undefined }, '').faults).toHaveLength(
      1,
    );
  });
});

describe('the source project', () => {
  let folder: string;

  beforeAll(async () => {
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8').replace(/^\s*\/\/.*$/gm, ''));
    config.app.translations = { nb: { short_name: 'Ferje' }, 'zh-Hant': { short_name: '渡輪' } };
    writeFileSync(join(dir, 'hull.json'), JSON.stringify(config));
    await json('pack', 'apple-project');
    folder = join(dir, 'out/apple-project');
  });

  readerTest('python3', 'names only what is there, and all of it', () => {
    const said = ask('python3', 'test/fixtures/check-project.py', folder, 'Ferry');
    expect(said).toContain('example.saltmarsh.ferry 1.0.0 1');
    expect(said).toContain('hull');
    expect(said).toContain('strings');
  });

  readerTest('xmllint', 'has documents that are XML', () => {
    ask('xmllint', '--noout', join(folder, 'App/LaunchScreen.storyboard'));
    ask('xmllint', '--noout', join(folder, 'Ferry.xcodeproj/xcshareddata/xcschemes/Ferry.xcscheme'));
    for (const name of ['Info.plist', 'Ferry.entitlements', 'PrivacyInfo.xcprivacy']) {
      ask('xmllint', '--noout', '--nonet', join(folder, 'App', name));
    }
  });

  readerTest('sh', 'has a script that shells read, which says what is missing', async () => {
    ask('sh', '-n', join(folder, 'archive.sh'));
    const ran = await run('sh', [join(folder, 'archive.sh')]);
    expect(ran).toMatchObject({ code: 1, out: '' });
    expect(ran.err).toContain('xcodebuild is not there');
  });

  readerTest('clang-19', 'has sources that compile as they are exported', () => {
    for (const part of ['core', 'ui']) {
      for (const name of readdirSync(join(folder, 'Shell', part)).filter((one) => one.endsWith('.m'))) {
        mkdirSync(join(dir, 'no-sdk'), { recursive: true });
        ask(
          'clang-19',
          ...[
            '-target',
            'arm64-apple-ios15.0',
            '-isysroot',
            join(dir, 'no-sdk'),
            '-nostdinc',
            '-fsyntax-only',
          ],
          ...['-I', 'shell/apple/include', '-I', join(folder, 'Shell/core'), '-I', join(folder, 'Shell/ui')],
          ...['-x', 'objective-c', '-std=gnu11', '-fobjc-arc', '-fblocks', '-Wall', '-Werror'],
          join(folder, 'Shell', part, name),
        );
      }
    }
  });

  it('keeps edits where it is brought up to date', async () => {
    const info = join(folder, 'App/Info.plist');
    const mine = readFileSync(info, 'utf8').replace(
      '</dict>\n</plist>',
      '\t<key>Mine</key>\n\t<true/>\n</dict>\n</plist>',
    );
    writeFileSync(info, mine);
    const config = readFileSync(join(dir, 'hull.json'), 'utf8').replace(
      '"version":"1.0.0"',
      '"version":"1.1.0"',
    );
    writeFileSync(join(dir, 'hull.json'), config);
    const refitted = await json('refit', 'out/apple-project');
    const states = Object.fromEntries(
      (refitted.files as { path: string; state: string }[]).map(({ path, state }) => [path, state]),
    );
    expect(states['App/Info.plist']).toBe('kept');
    expect(states['Ferry.xcodeproj/project.pbxproj']).toBe('updated');
    expect(readFileSync(info, 'utf8')).toContain('<key>Mine</key>');
    expect(readFileSync(join(folder, 'Ferry.xcodeproj/project.pbxproj'), 'utf8')).toContain(
      'MARKETING_VERSION = 1.1.0;',
    );
  });
});

describe('a simulated Apple device', () => {
  for (const [name, options] of [
    ['encrypted', []],
    ['plain', ['--plain']],
  ] as const) {
    readerTest('ideviceinstaller', `takes a package from a client that is not ours, ${name}`, async () => {
      const device = await startDevice(dir, '--apple', '--dir', `device-${name}`, ...options);
      try {
        const [ipa] = readdirSync(join(dir, 'out')).filter((one) => one.endsWith('.ipa'));
        const client = (program: string, ...words: string[]) =>
          run(program, words, { cwd: dir, env: { ...process.env, USBMUXD_SOCKET_ADDRESS: device.address } });
        const said = async (program: string, ...words: string[]) => {
          const ran = await client(program, ...words);
          return ran.out + ran.err;
        };
        expect(await said('idevice_id', '-l')).toContain(TEST_DEVICE);
        expect(await said('idevicepair', 'pair')).toContain('SUCCESS');
        expect(await said('ideviceinfo', '-k', 'ProductVersion')).toContain('26.1');
        // Newer versions of the client have words where older ones have letters.
        const isNewer = /^\s+install\b/m.test(await said('ideviceinstaller', '--help'));
        const installed = await said(
          'ideviceinstaller',
          isNewer ? 'install' : '-i',
          join('out', String(ipa)),
        );
        expect(installed).toContain('Complete');
        expect(await said('ideviceinstaller', isNewer ? 'list' : '-l')).toContain('example.saltmarsh.ferry');
        expect(
          readFileSync(join(dir, `device-${name}`, 'example.saltmarsh.ferry.ipa')).equals(
            readFileSync(join(dir, 'out', String(ipa))),
          ),
        ).toBe(true);
      } finally {
        device.stop();
      }
    });
  }
});

/** The engine of those devices, below the scheme that the shell has for packed pages, with the page script of the package. */
describe('the packed pages in WebKit', () => {
  interface Shown {
    readonly posted: readonly { readonly what: string; readonly details: Record<string, unknown> }[];
    readonly asked: readonly string[];
    readonly found: Record<string, unknown>;
  }

  async function show(path: string, script: string): Promise<Shown> {
    const words = ['-a', '/usr/bin/python3', 'test/fixtures/webkit-scheme.py', app, path, script];
    const ran = await run('xvfb-run', words, {
      env: { ...process.env, GDK_BACKEND: 'x11', NO_AT_BRIDGE: '1' },
    });
    const said = JSON.parse(ran.out) as Shown & { readonly failed?: string };
    expect(said.failed, ran.err).toBeUndefined();
    return said;
  }

  readerTest(
    'WebKitWebDriver',
    'run as an app’s: secure, with an origin, modules, storage and their own text',
    async () => {
      const { found, asked, posted } = await show(
        '/',
        `localStorage.pier = 'Heron Point';
       history.pushState({}, '', '/timetable/today');
       return { secure: isSecureContext, origin: location.origin, path: location.pathname, kept: localStorage.pier,
         text: document.body.innerText, app: matchMedia('(display-mode: standalone)').matches,
         fetched: (await fetch('/manifest.webmanifest')).status,
         missing: await fetch('/nowhere.json').then(({ status }) => status, () => 'failed') };`,
      );
      expect(found).toMatchObject({
        secure: true,
        origin: 'hull://ferry.saltmarsh.example',
        path: '/timetable/today',
        kept: 'Heron Point',
        app: true,
        fetched: 200,
        missing: 'failed',
      });
      expect(found.text).toContain('Next sailing');
      // Modules, and what they import, come from the package.
      expect(asked).toEqual(expect.arrayContaining(['/js/timetable.js', '/js/data.js']));
      expect(posted[0]).toEqual({ what: 'states', details: {} });
    },
  );

  readerTest('WebKitWebDriver', 'speak to the shell: sharing with files, printing, permissions', async () => {
    const { found, posted } = await show(
      '/tickets.html',
      `const shared = await navigator.share({ title: 'Late', text: 'The 16:10 is late',
         files: [new File(['tide'], 'tide.txt', { type: 'text/plain' })] }).then(() => 'shared', String);
       print();
       await new Promise((go) => setTimeout(go, 100));
       const state = async (name) => (await navigator.permissions.query({ name })).state;
       return { shared, location: await state('geolocation'), notices: Notification.permission };`,
    );
    expect(found).toEqual({ shared: 'shared', location: 'prompt', notices: 'default' });
    const of = (what: string) => posted.filter((one) => one.what === what).map(({ details }) => details);
    expect(of('take')).toEqual([
      { data: expect.stringMatching(/;base64,dGlkZQ==$/), number: expect.any(Number) },
    ]);
    expect(of('share')).toEqual([
      {
        title: 'Late',
        text: 'The 16:10 is late',
        url: '',
        files: [{ name: 'tide.txt', type: 'text/plain', number: expect.any(Number) }],
      },
    ]);
    expect(of('print')).toHaveLength(1);
  });
});
