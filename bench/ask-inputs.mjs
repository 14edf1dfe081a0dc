// A project with many rules for links, and a list of addresses about them: for the bench.
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Paths of links: a third whole, a third with what follows, a third with a star in the middle. */
export function pathRules(count) {
  return Array.from({ length: count }, (_none, index) => {
    const isle = `/isle-${index % 37}/pier-${index}`;
    return index % 3 === 0 ? `${isle}.html` : index % 3 === 1 ? `${isle}/*` : `${isle}/*/boats`;
  });
}

/** Writes a project with `rules` rules into `dir`, and `urls` addresses into `urls.txt` there. */
export function makeAskProject(dir, rules, urls) {
  mkdirSync(join(dir, 'site'), { recursive: true });
  writeFileSync(join(dir, 'site/index.html'), '<!doctype html><title>Ferry</title>');
  const host = 'ferry.saltmarsh.example';
  writeFileSync(
    join(dir, 'hull.json'),
    JSON.stringify({
      app: { id: 'example.saltmarsh.ferry', name: 'Bench', version: '1.0.0', build: 1 },
      web: { folder: 'site', url: `https://${host}/` },
      links: [{ host, paths: pathRules(rules) }],
      apple: { team: 'A1B2C3D4E5' },
    }),
  );
  const lines = Array.from({ length: urls }, (_none, index) => {
    const pier = (index * 7919) % (rules * 2);
    const ending = ['.html', '/today', '/summer/boats', '/'][index % 4];
    return `https://${host}/isle-${pier % 37}/pier-${pier}${ending}?day=${index % 365}`;
  });
  writeFileSync(join(dir, 'urls.txt'), `${lines.join('\n')}\n`);
}
