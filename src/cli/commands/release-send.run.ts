import { percent, readShare } from '../../core/store/release/tracks.js';
import { type SentRelease, sendRelease } from '../../core/tasks/send-release.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { sameStore, storeLine, storeOptions } from '../options/store.js';
import { count, cut, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonLocation, jsonPath } from '../terminal/json.js';
import { openProgress } from '../terminal/progress.js';
import { buildsText, jsonRelease, jsonTrack, noteStagedFirst, reachWords } from '../terminal/releases.js';
import { locationText } from '../terminal/say-task.js';
import type { declare } from './release-send.js';

/** Cells for a text that is shown beside another. */
const SHOWN = 60;

function changeLine(io: Io, { what, before, after, location }: SentRelease['changes'][number]): string {
  const { paint } = io;
  const short = (text: string) => `"${cut(safe(text.replaceAll('\n', ' ')), SHOWN)}"`;
  const values =
    before === undefined
      ? `${paint.good('+')} ${short(after)}`
      : `${short(before)} ${paint.dim('→')} ${short(after)}`;
  return `  ${safe(what)}  ${values}\n    ${paint.dim(safe(locationText(location)))}`;
}

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  file: string | undefined,
): Promise<void> {
  const isDry = options.dryRun === true;
  const progress = openProgress(io, { doing: 'uploading', what: 'KB', from: 0 });
  const sent = await sendRelease({
    ...storeOptions(io, options),
    project: options.project,
    file,
    track: options.to,
    share: options.share === undefined ? undefined : readShare(options.share),
    notes: options.notes,
    crashMap: options.crashMap,
    draft: options.draft,
    review: options.review ? 'at once' : 'by hand',
    mode: isDry ? 'look' : 'send',
    onProgress: (done, total) => progress.update(Math.ceil(done / 1000), Math.ceil(total / 1000)),
    onStep: (step) => {
      if (!io.drawsProgress) io.note(io.paint.dim(step));
    },
  }).finally(progress.end);
  if (io.json) {
    emit(io, 'release send', {
      store: sent.store,
      isStandIn: sent.isStandIn,
      id: sent.id,
      track: sent.track,
      file: jsonPath(io, sent.file),
      size: sent.size,
      build: sent.build,
      version: sent.version ?? null,
      isSent: sent.isSent,
      isReleased: sent.isReleased,
      wasThere: sent.wasThere,
      release: jsonRelease(sent.release),
      before: sent.before ? jsonTrack(sent.before) : null,
      changes: sent.changes.map(({ what, before, after, location }) => ({
        what,
        before: before ?? null,
        after,
        location: jsonLocation(io, location),
      })),
      testerLink: sent.testerLink ?? null,
    });
    return;
  }
  show(io, sent, isDry);
}

function show(io: Io, sent: SentRelease, isDry: boolean): void {
  const { paint } = io;
  const { release, track, changes } = sent;
  io.out(storeLine(io, sent));
  const name = `${safe(release.name ?? buildsText(release))} on ${paint.bold(safe(track))}`;
  if (changes.length > 0) {
    io.out(
      `${isDry ? 'Would change' : 'Changed'} besides the package: ${count(changes.length, 'text, group of testers or set of pictures', 'texts, groups of testers and sets of pictures')}`,
    );
    for (const change of changes) io.out(changeLine(io, change));
  }
  if (sent.isReleased) {
    io.out(
      `${paint.good(changes.length > 0 ? 'Already there' : 'Nothing to change')}: ${name} is for ${reachWords(release)}.`,
    );
  } else {
    const size = sent.wasThere ? 'which the store has already' : formatBytes(sent.size);
    io.out(`${isDry ? 'Would send' : paint.good('Sent')} ${name}, ${size}: ${reachWords(release)}`);
    for (const [language, text] of release.notes)
      io.out(`  ${paint.dim(`notes ${language}`)} ${cut(safe(text.replaceAll('\n', ' ')), SHOWN)}`);
    for (const one of sent.before?.releases ?? []) {
      if (one.builds.join() === release.builds.join()) continue;
      const share = release.share;
      const stays = share !== undefined && one.state === 'completed';
      io.out(
        `  ${paint.dim(stays ? `others keep` : 'replaces')} ${safe(one.name ?? buildsText(one))}${stays ? ` (${percent(1 - share)})` : ''}`,
      );
    }
  }
  noteStagedFirst(io, sent.after);
  if (isDry) io.note(`${paint.dim('next')} the same without --dry-run`);
  else io.note(`${paint.dim('next')} hull release status --wait${sameStore(sent.which)}`);
}
