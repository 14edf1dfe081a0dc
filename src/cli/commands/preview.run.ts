import { HullError } from '../../core/errors.js';
import { type PreviewedProject, previewProject } from '../../core/tasks/preview-project.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { browserEnvironment, browserOptions, installedBrowser, installedWebKit } from '../options/browser.js';
import { siteReading } from '../options/site.js';
import { showFindings } from '../terminal/findings.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { openProgress } from '../terminal/progress.js';
import { sayTask } from '../terminal/say-task.js';
import type { declare } from './preview.js';

type PreviewOptions = OptionsOf<typeof declare>;

/** Screens that the start page is shown on. */
const SCREENS = 12;
const APPLE_SCREENS = 8;

/** The browser's program, or why there is none; for a picture of the page there must be one. */
function findProgram(
  io: Io,
  options: PreviewOptions,
): { readonly executable: string } | { readonly missing: string } {
  const isNeeded = options.png !== undefined || options.shots === true;
  const wanted = options.png !== undefined ? '--png' : options.shots ? '--shots' : 'HULL_BROWSER';
  try {
    return { executable: installedBrowser(io, wanted) };
  } catch (error) {
    if (isNeeded || !(error instanceof HullError) || error.code !== 'browser.missing') throw error;
    return { missing: error.message };
  }
}

export async function run(io: Io, options: PreviewOptions): Promise<number> {
  const program = findProgram(io, options);
  const webkit = options.engine === 'webkit' ? installedWebKit(io, '--engine') : undefined;
  const reading = siteReading(io, options);
  const shooting = openProgress(io.drawsProgress ? io : { ...io, quiet: true }, {
    doing: 'showing',
    what: 'screens',
    from: 0,
  });
  let done = 0;
  const screens = SCREENS + (webkit ? APPLE_SCREENS : 0);
  const onStep = () => {
    reading.end();
    done += 1;
    shooting.update(done, screens);
  };
  const previewed = await previewProject({
    ...reading,
    project: options.project,
    out: options.out,
    png: options.png,
    shots: options.shots,
    browser:
      'missing' in program
        ? program
        : {
            ...browserOptions(io, program.executable, options),
            onStep,
          },
    webkit: webkit && {
      programs: webkit,
      environment: browserEnvironment(io.env),
      signal: io.signal,
      onStep,
    },
    say: sayTask,
  }).finally(() => {
    reading.end();
    shooting.end();
  });
  const ok = !options.failOnWarning || previewed.preview.findings.length === 0;
  if (io.json) emit(io, 'preview', previewDocument(io, previewed), ok);
  else show(io, previewed);
  return ok ? 0 : 1;
}

function previewDocument(io: Io, { files, shots, preview }: PreviewedProject) {
  const { labels, scenes, questions, browser, noBrowser, findings } = preview;
  return {
    files: files.map(({ file, size }) => ({ file: jsonPath(io, file), size })),
    shots,
    browser: browser ?? null,
    noBrowser: noBrowser ?? null,
    labels: labels.map(({ screen, of, label }) => ({
      on: screen.name,
      of,
      shown: label.shown,
      isCut: label.isCut,
    })),
    screens: scenes.map(({ shows, layout: { screen }, scheme, start, shot, notes }) => ({
      device: screen.device.key,
      shows,
      orientation: screen.orientation,
      scheme,
      start: start.is,
      page: shot !== undefined,
      notes,
    })),
    permissions: questions.map(({ name, reason, android, apple }) => ({
      name,
      reason,
      android: android.by,
      apple: apple.by,
    })),
    findings: jsonFindings(io, findings),
  };
}

function show(io: Io, { files, shots, preview }: PreviewedProject): void {
  const { paint } = io;
  for (const { file, size } of files) io.out(`${paint.bold(safe(file))}  ${formatBytes(size)}`);
  for (const { file, size, state } of shots) {
    io.out(
      state === 'written'
        ? `${paint.bold(safe(file))}  ${formatBytes(size)}`
        : `${paint.warn('kept')}  ${safe(file)}: another image has its name`,
    );
  }
  const { findings, noBrowser } = preview;
  if (findings.length === 0) io.out(paint.good('No problems found.'));
  showFindings(io, findings, '');
  if (noBrowser !== undefined) {
    io.note(`${paint.warn('note')} The pages themselves are not shown: ${safe(noBrowser)}`);
    io.note('     Install Chromium, Chrome or Edge, or name one with HULL_BROWSER=<path>.');
  }
  if (shots.length > 0) io.note(`${paint.dim('next')} hull tags --write names them in the manifest`);
  io.note(`${paint.dim('next')} open ${safe(files[0]?.file ?? '')} in any browser`);
}
