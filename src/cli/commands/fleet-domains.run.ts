import { shownHost } from '../../core/links/host.js';
import { type BrandDomains, fleetDomains } from '../../core/tasks/fleet/domains.js';
import type { OptionsOf } from '../define-command.js';
import { chosen } from '../options/fleet.js';
import { hostAccess } from '../options/site.js';
import { jsonRun, noteBrand, rowsOf, showFleet } from '../terminal/fleet-report.js';
import { count } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { jsonPath } from '../terminal/json.js';
import { knownPassword, passwordOf } from '../terminal/passwords.js';
import type { declare } from './fleet-domains.js';

const isVerified = ({ hosts }: BrandDomains) => hosts.every(({ verified }) => verified);

const said = (domains: BrandDomains) =>
  isVerified(domains) ? ('verified' as const) : ('not verified' as const);

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const brands = await fleetDomains({
    ...hostAccess(io, options),
    ...chosen(options),
    mode: options.write ? 'write' : 'verify',
    local: options.local,
    key: options.key,
    password: passwordOf(io, options),
    isKnown: (name) => knownPassword(io, options, name) !== undefined,
    signal: io.signal,
    onBrand: noteBrand(io, said),
  });
  const columns = ['Hosts', 'Documents'];
  return showFleet(io, options, 'fleet domains', {
    ok: brands.every((one) => one.is === 'done' && isVerified(one.result)),
    report: {
      title: 'Domains of brands',
      columns,
      rows: rowsOf(brands, columns.length, (domains) => ({
        result: domains.hosts.length === 0 ? 'no links' : said(domains),
        tone: domains.hosts.length === 0 ? 'dim' : isVerified(domains) ? 'good' : 'bad',
        cells: [
          domains.hosts.map(({ host }) => shownHost(host)).join(', '),
          domains.documents.length === 0
            ? ''
            : `${count(domains.documents.filter(({ state }) => state !== 'same').length, 'document')} written`,
        ],
        notes: domains.hosts.flatMap(({ host, faults }) =>
          faults.map((fault) => `${shownHost(host)}: ${fault}`),
        ),
      })),
    },
    document: () => ({
      brands: brands.map((one) => ({
        ...jsonRun(io, one),
        result: one.is === 'done' ? said(one.result) : one.is,
        hosts: one.is === 'done' ? one.result.hosts : [],
        documents:
          one.is === 'done'
            ? one.result.documents.map(({ file, state }) => ({ file: jsonPath(io, file), state }))
            : [],
      })),
    }),
  });
}
