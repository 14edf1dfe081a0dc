import { resolve } from 'node:path';
import { HullError } from '../../core/errors.js';
import { reaches } from '../../core/finding.js';
import { type FleetResult, type ListedBrand, listFleet, packFleet } from '../../core/tasks/fleet.js';
import { readTextFile, shownPath } from '../../core/util/files.js';
import { isObject } from '../../core/util/json-object.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { chosen } from '../options/fleet.js';
import { numberBetween } from '../options/numbers.js';
import { hostAccess } from '../options/site.js';
import type { FleetListOutput, FleetPackOutput } from '../outputs.js';
import { showFindings } from '../terminal/findings.js';
import { columns, count, duration, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonLocation, jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import { fixText, locationText } from '../terminal/say-task.js';
import type { declare as declareList } from './fleet-list.js';
import type { declare as declarePack } from './fleet-pack.js';

type ListOptions = OptionsOf<typeof declareList>;
type PackOptions = OptionsOf<typeof declarePack>;

const MOST_JOBS = 64;

const jsonError = (io: Io, error: HullError) => ({
  code: error.code,
  message: error.message,
  location: error.location === undefined ? null : jsonLocation(io, error.location),
  fix: error.fix === undefined ? null : fixText(error.fix),
});

function listedBrand(io: Io, one: ListedBrand): FleetListOutput['brands'][number] {
  const { name, groups, because } = one;
  const own = { name, groups, because: because ?? null };
  if ('error' in one) return { ...own, app: null, error: jsonError(io, one.error) };
  const { app, android, web } = one.project.settings;
  return {
    ...own,
    app: { id: android.id, name: app.name, version: app.version, build: app.build, url: web.url ?? null },
    error: null,
  };
}

/** An error of one brand, in lines below it. */
function errorLines(io: Io, { code, message, location, fix }: HullError): string {
  const { paint } = io;
  return [
    `    ${paint.bad(code)}  ${safe(message)}`,
    ...(location === undefined ? [] : [`    ${paint.dim(safe(locationText(location)))}`]),
    ...(fix === undefined ? [] : [`    ${paint.dim('fix')} ${safe(fixText(fix))}`]),
  ].join('\n');
}

export async function runList(io: Io, options: ListOptions): Promise<number> {
  const { brands, findings } = await listFleet({ project: options.project, ...chosen(options) });
  const broken = brands.filter((one) => 'error' in one);
  const ok = broken.length === 0 && !reaches(findings, 'error');
  if (io.json) {
    emit(
      io,
      'fleet list',
      { brands: brands.map((one) => listedBrand(io, one)), findings: jsonFindings(io, findings) },
      ok,
    );
    return ok ? 0 : 1;
  }
  const rows = brands.map((one) => {
    if ('error' in one) return [io.paint.bad(safe(one.name)), 'cannot be read'];
    const { app, android } = one.project.settings;
    const version = `${app.version} (build ${app.build})`;
    return [
      io.paint.name(safe(one.name)),
      safe(app.name),
      safe(android.id),
      safe(version),
      one.groups.join(', '),
    ];
  });
  io.out(columns(rows, [], ''));
  for (const one of brands)
    for (const why of one.because ?? []) io.out(io.paint.dim(`  ${safe(one.name)}: ${safe(why)}`));
  for (const one of broken)
    if ('error' in one) io.out(`  ${io.paint.bad(safe(one.name))}\n${errorLines(io, one.error)}`);
  if (findings.length > 0) {
    io.out('');
    showFindings(io, findings, '');
  }
  io.out(
    `\n${count(brands.length, 'brand')}${broken.length > 0 ? `, ${broken.length} of them cannot be read` : ''}.`,
  );
  return ok ? 0 : 1;
}

/** What brands took in an earlier run, by the document that it printed. */
function costsOf(file: string): ReadonlyMap<string, number> {
  let value: unknown;
  try {
    value = JSON.parse(readTextFile(file));
  } catch (error) {
    if (error instanceof HullError) throw error;
    value = undefined;
  }
  const brands = isObject(value) && value.command === 'fleet pack' ? value.brands : undefined;
  if (!Array.isArray(brands)) {
    throw new HullError('cli.usage', `${file} is not a report of packed brands.`, {
      location: { option: '--costs' },
      fix: 'Give the document of hull fleet pack --json.',
    });
  }
  return new Map(
    brands
      .filter(isObject)
      .flatMap(({ name, milliseconds }) =>
        typeof name === 'string' && typeof milliseconds === 'number' ? [[name, milliseconds] as const] : [],
      ),
  );
}

function packedBrand(io: Io, one: FleetResult): FleetPackOutput['brands'][number] {
  const { name, is, milliseconds } = one;
  const made =
    one.is === 'packed'
      ? { file: jsonPath(io, one.packed.file), size: one.packed.size }
      : one.is === 'unchanged'
        ? { file: jsonPath(io, one.file), size: one.size }
        : { file: null, size: null };
  return {
    name,
    result: is,
    milliseconds,
    ...made,
    error: one.is === 'failed' ? jsonError(io, one.error) : null,
  };
}

function brandRow(io: Io, one: FleetResult): string[] {
  const { paint } = io;
  const took = duration(one.milliseconds);
  switch (one.is) {
    case 'packed':
      return [
        paint.name(safe(one.name)),
        paint.good('packed'),
        formatBytes(one.packed.size),
        took,
        safe(shownPath(one.packed.file)),
      ];
    case 'unchanged':
      return [
        paint.name(safe(one.name)),
        paint.dim('unchanged'),
        formatBytes(one.size),
        took,
        safe(shownPath(one.file)),
      ];
    case 'failed':
      return [paint.name(safe(one.name)), paint.bad('failed'), '', took, safe(one.error.code)];
    case 'skipped':
      return [paint.name(safe(one.name)), paint.dim('skipped'), '', '', ''];
  }
}

export async function runPack(io: Io, options: PackOptions): Promise<number> {
  const results = await packFleet({
    ...hostAccess(io, options),
    project: options.project,
    ...chosen(options),
    kind: options.kind,
    jobs: numberBetween(options.jobs, '--jobs', [1, MOST_JOBS], 1),
    costs: options.costs === undefined ? undefined : costsOf(options.costs),
    out: options.out === undefined ? undefined : resolve(options.out),
    key: options.key,
    password: passwordOf(io, options),
    originCheck: options.skipOriginCheck ? 'skip' : undefined,
    signal: io.signal,
    onBrand: ({ name, is }) => io.note(`${io.paint.dim(is)} ${safe(name)}`),
  });
  const of = (is: FleetResult['is']) => results.filter((one) => one.is === is).length;
  const ok = of('failed') === 0 && of('skipped') === 0;
  if (io.json) {
    emit(io, 'fleet pack', { brands: results.map((one) => packedBrand(io, one)) }, ok);
    return ok ? 0 : 1;
  }
  io.out(
    columns(
      results.map((one) => brandRow(io, one)),
      [2, 3],
      '',
    ),
  );
  for (const one of results)
    if (one.is === 'failed') io.out(`  ${io.paint.bad(safe(one.name))}\n${errorLines(io, one.error)}`);
  const parts = (['packed', 'unchanged', 'failed', 'skipped'] as const).flatMap((is) =>
    of(is) > 0 ? [`${of(is)} ${is}`] : [],
  );
  io.out(`\n${count(results.length, 'brand')}: ${parts.join(', ')}.`);
  return ok ? 0 : 1;
}
