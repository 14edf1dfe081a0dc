import { reaches } from '../../core/finding.js';
import { type ListedBrand, listFleet } from '../../core/tasks/fleet/brands.js';
import type { OptionsOf } from '../define-command.js';
import { chosen } from '../options/fleet.js';
import type { FleetListOutput } from '../outputs.js';
import { type BrandRow, jsonBrandError, showFleet } from '../terminal/fleet-report.js';
import type { Io } from '../terminal/io.js';
import { jsonFindings } from '../terminal/json.js';
import type { declare } from './fleet-list.js';

function listedBrand(io: Io, one: ListedBrand): FleetListOutput['brands'][number] {
  const { name, groups, because } = one;
  const own = { name, groups, because: because ?? null };
  if ('error' in one) return { ...own, app: null, error: jsonBrandError(io, one.error) };
  const { app, android, web } = one.project.settings;
  return {
    ...own,
    app: { id: android.id, name: app.name, version: app.version, build: app.build, url: web.url ?? null },
    error: null,
  };
}

function rowOf(one: ListedBrand): BrandRow {
  const { name, groups, because } = one;
  if ('error' in one)
    return {
      name,
      because,
      result: 'cannot be read',
      tone: 'bad',
      cells: ['', '', '', ''],
      error: one.error,
    };
  const { app, android } = one.project.settings;
  const version = `${app.version} (${app.build})`;
  const cells = [app.name, android.id, version, groups.join(', ')];
  return { name, because, result: '', tone: 'dim', cells };
}

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const { brands, findings } = await listFleet(chosen(options));
  const ok = brands.every((one) => !('error' in one)) && !reaches(findings, 'error');
  return showFleet(io, options, 'fleet list', {
    ok,
    report: {
      title: 'Brands',
      columns: ['Name', 'App ID', 'Version', 'Groups'],
      rows: brands.map(rowOf),
      across: findings,
    },
    document: () => ({
      brands: brands.map((one) => listedBrand(io, one)),
      findings: jsonFindings(io, findings),
    }),
  });
}
