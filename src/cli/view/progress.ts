import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { ProgressEvent } from '../../flow/context.ts';
import { every, startStopwatch } from '../../world/poll.ts';
import { type Screen, sign } from './screen.ts';

/** Shows progress on standard error: one live line with elapsed time on a terminal, one plain line per step without. */
export type Progress = { readonly report: (event: ProgressEvent) => void; readonly stop: () => void };

/** How often the live line is drawn anew. */
const drawMs = 120;

/** @param write gets whole texts, already safe to show. */
export function makeProgress(screen: Screen, isLive: boolean, write: (text: string) => void): Progress {
  const started = new Map<string, () => number>();
  const moved = new Map<string, string>();
  const waited = new Map<string, string>();
  let stopDrawing: (() => void) | null = null;
  /** A reason is told once, however often it is given. */
  const tellWaiting = (what: string, why: string) => {
    if (waited.get(what) === why) return;
    waited.set(what, why);
    write(`${sign('nothing', screen)} waiting  ${what}: ${why}\n`);
  };
  const clear = () => {
    if (isLive && stopDrawing !== null) write('\r\u001b[K');
  };
  const draw = () => {
    if (started.size === 0) return;
    // What was begun last is closest to what happens now; the others follow as far as the line goes.
    const parts = [...started].reverse().map(([what, since]) => `${what}${moved.get(what) ?? ''} ${elapsed(since)}`);
    const line = `  ${parts.join('  ')}`.slice(0, screen.columns - 1);
    write(`\r\u001b[K${screen.colours.dim(line)}`);
  };
  const stop = () => {
    clear();
    stopDrawing?.();
    stopDrawing = null;
  };
  const report = (event: ProgressEvent) => {
    clear();
    if (event.type === 'started') started.set(cleanText(event.what), startStopwatch());
    else if (event.type === 'group') write(`${screen.colours.bold(cleanText(event.title))}\n`);
    else if (event.type === 'moved') moved.set(cleanText(event.what), share(event.bytes, event.of));
    else if (event.type === 'waiting') tellWaiting(cleanText(event.what), cleanText(event.why));
    else write(`${finishedLine(event, started, screen)}\n`);
    if (started.size === 0) stop();
    else if (isLive) {
      stopDrawing ??= every(drawMs, draw);
      draw();
    }
  };
  return { report, stop };
}

function finishedLine(
  event: Exclude<ProgressEvent, { type: 'started' | 'moved' | 'waiting' | 'group' }>,
  started: Map<string, () => number>,
  screen: Screen,
): string {
  if (event.type === 'warning') return `${sign('warning', screen)} warning: ${cleanText(event.text)}`;
  if (event.type === 'note') return `${sign('nothing', screen)} note: ${cleanText(event.text)}`;
  const what = cleanText(event.what);
  const since = started.get(what);
  started.delete(what);
  if (event.type === 'skipped') return `${sign('nothing', screen)} skipped  ${what}: ${cleanText(event.why)}`;
  if (event.type === 'failed') return `${sign('refused', screen)} failed  ${what}: ${cleanText(event.why)}`;
  const took = since === undefined || since() < 1000 ? '' : ` ${screen.colours.dim(elapsed(since))}`;
  return `${sign('done', screen)} done  ${what}${event.detail === undefined ? '' : ` (${cleanText(event.detail)})`}${took}`;
}

function share(bytes: number, of: number): string {
  const percent = of === 0 ? 100 : Math.floor((bytes / of) * 100);
  return ` ${formatBytes(bytes)} of ${formatBytes(of)}, ${percent} %`;
}

function elapsed(since: () => number): string {
  const seconds = Math.floor(since() / 1000);
  return seconds < 60 ? `${seconds} s` : `${Math.floor(seconds / 60)} min ${seconds % 60} s`;
}
