import sharp from 'sharp';
import { HEAD, icons, pointer, type Seed, TOP, value } from './copy.js';

/** The manifest and its icons. */
export const MANIFEST_SEEDS: readonly Seed[] = [
  [
    'manifest.linked',
    'no link to the manifest',
    (copy) => {
      copy.replace('index.html', /.*<link rel="manifest".*\n/, '');
      return HEAD;
    },
  ],
  [
    'manifest.reachable',
    'the manifest is not there',
    (copy) => {
      copy.remove('manifest.webmanifest');
      copy.replace('sw.js', "'/manifest.webmanifest',", '');
      return copy.at('index.html', 'href="/manifest');
    },
  ],
  [
    'manifest.reachable',
    'a page of HTML at the manifest’s address',
    (copy) => {
      copy.write('manifest.webmanifest', '<!doctype html><title>Not found</title>');
      return copy.at('index.html', 'href="/manifest');
    },
  ],
  [
    'manifest.parses',
    'a comma too many',
    (copy) => {
      copy.replace('manifest.webmanifest', '"lang": "en",', '"lang": "en",,');
      return copy.at('manifest.webmanifest', ',,').replace(/\d+$/, (column) => String(Number(column) + 1));
    },
  ],
  [
    'manifest.parses',
    'a list instead of an object',
    (copy) => {
      copy.write('manifest.webmanifest', '[1]');
      return 'manifest.webmanifest:1:1';
    },
  ],
  [
    'manifest.member-type',
    'a name that is a number',
    (copy) => {
      copy.manifest((members) => {
        members.name = 5;
      });
      return value(copy, 'name');
    },
  ],
  [
    'manifest.member-name',
    'a misspelt member',
    (copy) => {
      copy.manifest((members) => {
        members.share_targets = {};
      });
      return pointer(copy, '"share_targets"', '/share_targets');
    },
  ],
  [
    'manifest.name',
    'no name',
    (copy) => {
      copy.manifest((members) => {
        delete members.name;
        delete members.short_name;
      });
      return TOP;
    },
  ],
  [
    'manifest.short-name',
    'a label that home screens cut',
    (copy) => {
      copy.manifest((members) => {
        members.short_name = 'Saltmarsh Ferries';
      });
      return value(copy, 'short_name');
    },
  ],
  [
    'manifest.short-name',
    'no label, and a long name',
    (copy) => {
      copy.manifest((members) => delete members.short_name);
      return TOP;
    },
  ],
  [
    'manifest.id',
    'no identity',
    (copy) => {
      copy.manifest((members) => delete members.id);
      return TOP;
    },
  ],
  [
    'manifest.start-url',
    'a start page on another host',
    (copy) => {
      copy.manifest((members) => {
        members.start_url = 'https://elsewhere.saltmarsh.example/';
      });
      return value(copy, 'start_url');
    },
  ],
  [
    'manifest.start-url',
    'no start page',
    (copy) => {
      copy.manifest((members) => delete members.start_url);
      return TOP;
    },
  ],
  [
    'manifest.start-reachable',
    'a start page that is not there',
    (copy) => {
      copy.manifest((members) => {
        members.start_url = '/home.html';
      });
      return value(copy, 'start_url');
    },
  ],
  [
    'manifest.scope',
    'a scope on another host',
    (copy) => {
      copy.manifest((members) => {
        members.scope = 'https://elsewhere.saltmarsh.example/';
      });
      return value(copy, 'scope');
    },
  ],
  [
    'manifest.display',
    'shown as a tab',
    (copy) => {
      copy.manifest((members) => {
        members.display = 'browser';
      });
      return value(copy, 'display');
    },
  ],
  [
    'manifest.display',
    'a display mode that there is not',
    (copy) => {
      copy.manifest((members) => {
        members.display = 'stand-alone';
      });
      return value(copy, 'display');
    },
  ],
  [
    'manifest.display-override',
    'an override that there is not',
    (copy) => {
      copy.manifest((members) => {
        members.display_override = ['full-screen'];
      });
      return pointer(copy, '"full-screen"', '/display_override/0');
    },
  ],
  [
    'manifest.orientation',
    'an orientation that there is not',
    (copy) => {
      copy.manifest((members) => {
        members.orientation = 'diagonal';
      });
      return value(copy, 'orientation');
    },
  ],
  [
    'manifest.language',
    'a direction that there is not',
    (copy) => {
      copy.manifest((members) => {
        members.dir = 'left';
      });
      return value(copy, 'dir');
    },
  ],
  [
    'manifest.colors',
    'a colour that is none',
    (copy) => {
      copy.manifest((members) => {
        members.background_color = 'sand-ish';
      });
      return value(copy, 'background_color');
    },
  ],
  [
    'manifest.colors',
    'no theme colour',
    (copy) => {
      copy.manifest((members) => delete members.theme_color);
      return TOP;
    },
  ],
  [
    'manifest.theme-mismatch',
    'two theme colours',
    (copy) => {
      copy.manifest((members) => {
        members.theme_color = '#123456';
      });
      return value(copy, 'theme_color');
    },
  ],
  [
    'manifest.icons',
    'no icon of 512 px',
    (copy) => {
      copy.manifest((members) => icons(members).splice(2, 1));
      return pointer(copy, '"icons"', '/icons');
    },
  ],
  [
    'manifest.icons',
    'no icon of 192 px',
    (copy) => {
      copy.manifest((members) => icons(members).splice(1, 1));
      return pointer(copy, '"icons"', '/icons');
    },
  ],
  [
    'manifest.icon-entry',
    'one icon for every purpose',
    (copy) => {
      copy.manifest((members) => {
        Object.assign(icons(members)[3] ?? {}, { purpose: 'any maskable' });
      });
      return pointer(copy, '"any maskable"', '/icons/3/purpose');
    },
  ],
  [
    'manifest.icon-entry',
    'a purpose that there is not',
    (copy) => {
      copy.manifest((members) =>
        icons(members).push({
          src: 'icons/icon-512.png',
          sizes: '512x512',
          type: 'image/png',
          purpose: 'maskible',
        }),
      );
      return pointer(copy, '"maskible"', '/icons/5/purpose');
    },
  ],
  [
    'manifest.icon-missing',
    'an icon that is not there',
    (copy) => {
      copy.remove('icons/icon-512.png');
      return `${copy.at('manifest.webmanifest', '"icons/icon-512.png"')} /icons/2/src`;
    },
  ],
  [
    'manifest.icon-size',
    'an icon of another size than declared',
    async (copy) => {
      copy.write(
        'icons/icon-512.png',
        await sharp(copy.path('icons/icon-192.png')).resize(400, 400).png().toBuffer(),
      );
      return `${copy.at('manifest.webmanifest', '"512x512"')} /icons/2/sizes`;
    },
  ],
  [
    'manifest.icon-type',
    'an icon of another type than declared',
    async (copy) => {
      const { data } = await sharp(copy.path('icons/icon-512.png'))
        .webp()
        .toBuffer({ resolveWithObject: true });
      copy.write('icons/icon-512.png', data);
      return `${copy.at('manifest.webmanifest', '"image/png"', copy.read('manifest.webmanifest').indexOf('icon-512'))} /icons/2/type`;
    },
  ],
  [
    'manifest.icon-type',
    'an icon that is no picture',
    (copy) => {
      copy.write('icons/icon-512.png', 'not a picture');
      return `${copy.at('manifest.webmanifest', '"icons/icon-512.png"')} /icons/2/src`;
    },
  ],
  [
    'manifest.icon-maskable',
    'no icon for masks',
    (copy) => {
      copy.manifest((members) => icons(members).splice(3, 1));
      return pointer(copy, '"icons"', '/icons');
    },
  ],
  [
    'manifest.safe-zone',
    'a maskable icon drawn to its edges',
    async (copy) => {
      const square = Buffer.from(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 512 512"><rect width="512" height="512" fill="#0b4f6c"/><rect x="30" y="30" width="452" height="452" fill="#f2b84b"/></svg>',
      );
      copy.write('icons/maskable-512.png', await sharp(square).png().toBuffer());
      return `${copy.at('manifest.webmanifest', '{ "src": "icons/maskable')} /icons/3`;
    },
  ],
  [
    'manifest.safe-zone',
    'a maskable icon with see-through corners',
    async (copy) => {
      const round = Buffer.from(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 512 512"><circle cx="256" cy="256" r="250" fill="#0b4f6c"/></svg>',
      );
      copy.write('icons/maskable-512.png', await sharp(round).png().toBuffer());
      return `${copy.at('manifest.webmanifest', '{ "src": "icons/maskable')} /icons/3`;
    },
  ],
  [
    'manifest.monochrome',
    'no icon to tint',
    (copy) => {
      copy.manifest((members) => icons(members).splice(4, 1));
      return pointer(copy, '"icons"', '/icons');
    },
  ],
  [
    'manifest.monochrome',
    'an icon to tint that is a full square',
    (copy) => {
      copy.write('icons/icon-mono.svg', copy.read('icons/icon.svg'));
      return `${copy.at('manifest.webmanifest', '{ "src": "icons/icon-mono')} /icons/4`;
    },
  ],
  [
    'manifest.icon-contrast',
    'an icon that vanishes on the splash',
    (copy) => {
      copy.write(
        'icons/icon.svg',
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9" width="512" height="512"><circle cx="4.5" cy="4.5" r="3" fill="#fff"/></svg>',
      );
      return `${copy.at('manifest.webmanifest', '{ "src": "icons/icon.svg')} /icons/0`;
    },
  ],
  [
    'manifest.shortcuts',
    'a shortcut that leads nowhere',
    (copy) => {
      copy.manifest((members) => {
        Object.assign((members.shortcuts as object[])[0] ?? {}, { url: '/quay.html' });
      });
      return pointer(copy, '"/quay.html"', '/shortcuts/0/url');
    },
  ],
  [
    'manifest.shortcuts',
    'a shortcut without a name',
    (copy) => {
      copy.manifest((members) => delete (members.shortcuts as { name?: string }[])[1]?.name);
      const text = copy.read('manifest.webmanifest');
      const offset = text.indexOf(
        '{',
        text.indexOf('"shortcuts"') +
          30 +
          text.slice(text.indexOf('"shortcuts"')).indexOf('"url": "/tickets') -
          60,
      );
      const before = text.slice(0, offset).split('\n');
      return `manifest.webmanifest:${before.length}:${(before.at(-1)?.length ?? 0) + 1} /shortcuts/1`;
    },
  ],
  [
    'manifest.share-target',
    'files shared by GET',
    (copy) => {
      copy.manifest((members) => {
        members.share_target = {
          action: '/tickets.html',
          params: { files: [{ name: 'ticket', accept: ['image/png'] }] },
        };
      });
      return value(copy, 'share_target');
    },
  ],
  [
    'manifest.share-target',
    'an action outside the scope',
    (copy) => {
      copy.manifest((members) => {
        members.share_target = {
          action: 'https://elsewhere.saltmarsh.example/share',
          params: { text: 'text' },
        };
      });
      return pointer(copy, '"https://elsewhere.saltmarsh.example/share"', '/share_target/action');
    },
  ],
  [
    'manifest.screenshots',
    'no screenshots',
    (copy) => {
      copy.manifest((members) => delete members.screenshots);
      return TOP;
    },
  ],
  [
    'manifest.screenshots',
    'a screenshot of another size than declared',
    (copy) => {
      copy.replace('manifest.webmanifest', '540x1170', '1080x2340');
      return `${copy.at('manifest.webmanifest', '{ "src": "shots/timetable')} /screenshots/0`;
    },
  ],
  [
    'manifest.scope-extensions',
    'an extension that is no origin',
    (copy) => {
      copy.manifest((members) => {
        members.scope_extensions = [{ type: 'origin', origin: 'tickets.saltmarsh.example' }];
      });
      const text = copy.read('manifest.webmanifest');
      const before = text.slice(0, text.indexOf('{', text.indexOf('"scope_extensions"'))).split('\n');
      return `manifest.webmanifest:${before.length}:${(before.at(-1)?.length ?? 0) + 1} /scope_extensions/0`;
    },
  ],
];
