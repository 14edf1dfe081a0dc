import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { makeBlob, makeSuperBlob, readSuperBlob } from '../../../src/core/formats/codesign/blobs.js';
import { makeCodeDirectory, PAGE, readCodeDirectory } from '../../../src/core/formats/codesign/directory.js';
import { entitlementsFromDer, entitlementsToDer } from '../../../src/core/formats/codesign/entitlements.js';
import { BLOB, SLOT } from '../../../src/core/formats/codesign/types.js';
import { joinSlices } from '../../../src/core/formats/macho/fat.js';
import { readImports } from '../../../src/core/formats/macho/imports.js';
import { isMachO, readMachO, readSlices } from '../../../src/core/formats/macho/reader.js';
import { withSignatureSpace } from '../../../src/core/formats/macho/signature-space.js';
import { CPU, PLATFORM } from '../../../src/core/formats/macho/types.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { mutations } from '../../support/hostile.js';

const shell = (name: string) => new Uint8Array(readFileSync(`shell/apple/dist/${name}`));
const device = shell('device-arm64');

describe('programs', () => {
  it('are read: processor, system, libraries, imports', () => {
    const program = readMachO(device);
    expect(program).toMatchObject({
      cpu: CPU.arm64,
      build: { platform: PLATFORM.ios, minVersion: '15.0' },
      signature: undefined,
    });
    expect(program.segments.map(({ name }) => name)).toEqual([
      '__PAGEZERO',
      '__TEXT',
      '__DATA',
      '__LINKEDIT',
    ]);
    expect(program.libraries).toContain('/System/Library/Frameworks/WebKit.framework/WebKit');
    expect(readImports(device, program)).toEqual(
      expect.arrayContaining(['_UIApplicationMain', '_objc_msgSend', '_OBJC_CLASS_$_WKWebView']),
    );
    expect(readMachO(shell('simulator-x86_64')).build?.platform).toBe(PLATFORM.iosSimulator);
  });

  it('get room for a signature, and an older one is dropped', () => {
    const signed = withSignatureSpace(device, 4096);
    const program = readMachO(signed);
    expect(program.signature).toMatchObject({ size: 4096, offset: signed.length - 4096 });
    expect((program.signature?.offset ?? 1) % 16).toBe(0);
    const linkEdit = program.segments.at(-1);
    expect(linkEdit).toMatchObject({ name: '__LINKEDIT', size: signed.length - (linkEdit?.offset ?? 0) });
    expect(Number(linkEdit?.memorySize ?? 1n) % 0x4000).toBe(0);
    expect(withSignatureSpace(signed, 4096)).toEqual(signed);
    expect(withSignatureSpace(signed, 8192).length).toBe(signed.length + 4096);
  });

  it('of several processors are one file, and are taken apart again', () => {
    const slices = [shell('simulator-arm64'), shell('simulator-x86_64')];
    const file = joinSlices(slices);
    expect(isMachO(file)).toBe(true);
    const rows = readSlices(file);
    expect(rows.map(({ cpu }) => cpu)).toEqual([CPU.arm64, CPU.x86_64]);
    for (const [index, { offset, size }] of rows.entries()) {
      expect(
        Buffer.from(file.subarray(offset, offset + size)).equals(Buffer.from(slices[index] as Uint8Array)),
      ).toBe(true);
    }
    expect(rows[0]?.offset).toBe(0x4000);
    expect(joinSlices([device])).toBe(device);
  });

  it('with lies are refused', async () => {
    const with32 = (at: number, value: number) => {
      const changed = new Uint8Array(device);
      new DataView(changed.buffer).setUint32(at, value, true);
      return changed;
    };
    await refused('macho.malformed', () => readMachO(with32(0, 0xfeedface)));
    await refused('macho.malformed', () => readMachO(with32(16, 100_000)));
    await refused('macho.malformed', () => readMachO(with32(16, 3)));
    await refused('macho.malformed', () => readMachO(with32(20, 0xffffff00)));
    await refused('macho.malformed', () => readMachO(with32(36, 7)));
    await refused('macho.malformed', () => readMachO(device.subarray(0, 40)));
    await refused('macho.malformed', () => withSignatureSpace(new Uint8Array([...device, 0]), 16));
    const fat = joinSlices([shell('simulator-arm64'), shell('simulator-x86_64')]);
    const view = new DataView(fat.buffer);
    view.setUint32(8 + 20 + 8, 0x4000);
    await refused('macho.malformed', () => readSlices(fat));
    view.setUint32(4, 4000);
    await refused('macho.malformed', () => readSlices(fat));
    // A Java class begins with the same bytes.
    expect(isMachO(new Uint8Array([0xca, 0xfe, 0xba, 0xbe, 0, 0, 0, 0x41]))).toBe(false);
  });

  it('hold against any bytes', async () => {
    const head = device.slice(0, 4096);
    await fc.assert(
      fc.asyncProperty(mutations(head), async (changed) => {
        await holdsAgainst(() => {
          const program = readMachO(changed, device.length);
          readImports(changed, program);
          readSlices(changed);
        });
      }),
      { numRuns: 1000 },
    );
  });
});

describe('code signatures', () => {
  const code = new Uint8Array(PAGE * 2 + 100).fill(7);
  const directory = makeCodeDirectory({
    code,
    identifier: 'example.saltmarsh.ferry',
    team: 'SALTMARSH1',
    flags: 0,
    executable: { base: 0n, limit: 4096n, flags: 1n },
    special: new Map([[SLOT.codeResources, createHash('sha256').update('x').digest()]]),
  });

  it('seal pages and parts', () => {
    const read = readCodeDirectory(directory);
    expect(read).toMatchObject({
      identifier: 'example.saltmarsh.ferry',
      team: 'SALTMARSH1',
      codeLimit: code.length,
      pageSize: PAGE,
      hash: 'sha256',
    });
    expect(read.pages.map((hash) => Buffer.from(hash).toString('hex'))).toEqual(
      [0, 1, 2].map((page) =>
        createHash('sha256')
          .update(code.subarray(page * PAGE, (page + 1) * PAGE))
          .digest('hex'),
      ),
    );
    expect([...read.special.keys()]).toEqual([1, 2, 3]);
    expect(read.special.get(1)?.every((byte) => byte === 0)).toBe(true);
  });

  it('are lists of parts, none of which leaves the list', async () => {
    const list = makeSuperBlob(BLOB.superBlob, [
      [0, directory],
      [2, makeBlob(BLOB.requirements, new Uint8Array(4))],
    ]);
    expect(readSuperBlob(list).map(({ slot, magic }) => [slot, magic])).toEqual([
      [0, BLOB.codeDirectory],
      [2, BLOB.requirements],
    ]);
    for (const [at, value] of [
      [4, 0xfffffff0],
      [8, 5000],
      [16, 4],
      [16, 0xfffffff0],
      [20, 0],
    ] as const) {
      const changed = Buffer.from(list);
      changed.writeUInt32BE(value, at);
      await refused('signing.malformed', () => readSuperBlob(changed));
    }
    await fc.assert(
      fc.asyncProperty(mutations(list), async (changed) => {
        await holdsAgainst(() => readSuperBlob(changed).map(({ bytes }) => readCodeDirectory(bytes)));
      }),
    );
  });

  it('have entitlements in DER, sorted by key', async () => {
    const der = entitlementsToDer({ b: true, a: ['x', 1, -129], aa: { z: false } });
    expect(Buffer.from(der).toString('hex')).toBe(
      '702e020101b029300f0c0161300a0c01780201010202ff7f300e0c026161b00830060c017a01010030060c01620101ff',
    );
    expect(JSON.parse(JSON.stringify(entitlementsFromDer(der)))).toEqual({
      a: ['x', 1, -129],
      aa: { z: false },
      b: true,
    });
    await refused('signing.unsupported', () => entitlementsToDer({ when: new Date(0) }));
    await fc.assert(
      fc.asyncProperty(mutations(der), async (changed) => {
        await holdsAgainst(() => entitlementsFromDer(changed));
      }),
    );
  });
});
