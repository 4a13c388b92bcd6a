import { formatBytes } from '../../core/text/bytes.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { ProgressEvent } from '../../flow/context.ts';
import { every, startStopwatch } from '../../world/poll.ts';
import { ellipsis, type Screen, sign } from './screen.ts';
import { beside } from './wrap.ts';

/** Shows progress on standard error: one live line with elapsed time on a terminal, one plain line per step without. */
export type Progress = { readonly report: (event: ProgressEvent) => void; readonly stop: () => void };

/** How often the live line is drawn anew. */
const drawMs = 120;
/** How often a line says how far long work has come, where there is no terminal. */
const plainMs = 10_000;
/** The bar takes this share of the screen. */
const barShare = 1 / 8;

/** Something that was begun: since when, and how many of its bytes have gone by. */
type Work = { readonly since: () => number; moved: Moved | null };

/** Bytes that went by since they were first counted; `of` is null where the whole is not known. */
type Moved = { readonly bytes: number; readonly of: number | null; readonly since: () => number };

/** @param write gets whole texts, already safe to show. */
export function makeProgress(screen: Screen, isLive: boolean, write: (text: string) => void): Progress {
  const works = new Map<string, Work>();
  const waited = new Map<string, string>();
  let stopDrawing: (() => void) | null = null;
  const clear = () => {
    if (isLive && stopDrawing !== null) write('\r\u001b[K');
  };
  const draw = () => {
    if (works.size > 0) write(`\r\u001b[K${screen.colours.dim(liveLine(works, screen))}`);
  };
  const tell = () => {
    for (const [what, work] of works)
      if (work.since() >= plainMs) write(`${sign('nothing', screen)} working  ${[what, ...amount(work)].join(', ')}\n`);
  };
  const stop = () => {
    clear();
    stopDrawing?.();
    stopDrawing = null;
  };
  const report = (event: ProgressEvent) => {
    // Comes for every piece: only the next drawing shows it.
    if (event.type === 'moved') {
      const work = works.get(cleanText(event.what));
      // One piece of work may count several things, one after another.
      const isSame = work?.moved !== null && work?.moved.of === event.of && work.moved.bytes <= event.bytes;
      if (work !== undefined)
        work.moved = { ...event, since: isSame ? (work.moved?.since ?? startStopwatch()) : startStopwatch() };
      return;
    }
    clear();
    if (event.type === 'started') works.set(cleanText(event.what), { since: startStopwatch(), moved: null });
    else for (const line of finishedLines(event, { works, waited, screen })) write(`${line}\n`);
    if (works.size === 0) stop();
    else {
      stopDrawing ??= isLive ? every(drawMs, draw) : every(plainMs, tell);
      if (isLive) draw();
    }
  };
  return { report, stop };
}

/** What was begun last is closest to what happens now; the others follow as far as the line goes. */
function liveLine(works: ReadonlyMap<string, Work>, screen: Screen): string {
  const parts = [...works].reverse().map(([what, work]) => [what, ...bar(work, screen), ...amount(work)].join('  '));
  const line = `  ${parts.join('   ')}`;
  const room = screen.columns - 1;
  return line.length <= room ? line : `${line.slice(0, room - ellipsis(screen).length)}${ellipsis(screen)}`;
}

function bar({ moved }: Work, { isUnicode, columns }: Screen): string[] {
  if (moved === null || moved.of === null) return [];
  const [full, empty] = isUnicode ? ['▪', '▫'] : ['=', '-'];
  const barWidth = Math.round(columns * barShare);
  const filled = Math.round((moved.of === 0 ? 1 : Math.min(1, moved.bytes / moved.of)) * barWidth);
  return [full.repeat(filled) + empty.repeat(barWidth - filled)];
}

/** How much, how fast, and how long it still takes; without bytes how long it has taken. */
function amount({ since, moved }: Work): string[] {
  if (moved === null) return [duration(since())];
  const { bytes, of } = moved;
  const seconds = moved.since() / 1000;
  const perSecond = seconds > 0 ? bytes / seconds : 0;
  const rate = `${formatBytes(Math.round(perSecond))}/s`;
  if (of === null) return [formatBytes(bytes), rate];
  const secondsLeft = Math.max(0, of - bytes) / perSecond;
  // At the very beginning nothing can be said of the end.
  const left = secondsLeft < 86_400 ? [`${duration(secondsLeft * 1000)} left`] : [];
  return [`${formatBytes(bytes)} of ${formatBytes(of)}`, rate, ...left];
}

type EndEvent = Exclude<ProgressEvent, { type: 'started' | 'moved' }>;
type Shown = {
  readonly works: Map<string, Work>;
  /** The last reason for which something waited: it is shown once, however often it is given. */
  readonly waited: Map<string, string>;
  readonly screen: Screen;
};

function finishedLines(event: EndEvent, { works, waited, screen }: Shown): string[] {
  if (event.type === 'group') return [screen.colours.bold(cleanText(event.title))];
  if (event.type === 'warning') return [beside(`${sign('warning', screen)} warning: `, cleanLines(event.text), screen)];
  if (event.type === 'detail' && !screen.isVerbose) return [];
  if (event.type === 'note' || event.type === 'detail')
    return [beside(`${sign('nothing', screen)} note: `, cleanLines(event.text), screen)];
  const what = cleanText(event.what);
  if (event.type === 'waiting') {
    if (waited.get(what) === event.why) return [];
    waited.set(what, event.why);
    return [beside(`${sign('nothing', screen)} waiting  `, `${what}: ${cleanLines(event.why)}`, screen)];
  }
  const since = works.get(what)?.since;
  works.delete(what);
  if (event.type === 'skipped')
    return [beside(`${sign('nothing', screen)} skipped  `, `${what}: ${cleanLines(event.why)}`, screen)];
  // What is said at length comes with the error, below everything.
  if (event.type === 'failed')
    return [
      beside(`${sign('refused', screen)} failed  `, `${what}: ${cleanText(event.why.split('\n')[0] ?? '')}`, screen),
    ];
  const took = since === undefined || since() < 1000 ? '' : ` ${screen.colours.dim(duration(since()))}`;
  const detail = event.detail === undefined ? '' : ` (${cleanText(event.detail)})`;
  return [beside(`${sign('done', screen)} done  `, `${what}${detail}${took}`, screen)];
}

function duration(ms: number): string {
  const seconds = Math.floor(ms / 1000);
  return seconds < 60 ? `${seconds} s` : `${Math.floor(seconds / 60)} min ${seconds % 60} s`;
}
