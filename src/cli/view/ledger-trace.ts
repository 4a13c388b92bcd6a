import type { Origin } from '../../core/contents/entry.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Trace } from '../../flow/ledger/ledger-trace.ts';
import { blank, type Screen } from './screen.ts';
import { renderTable } from './table.ts';

/** Where something was released first, one line per package, line and place. */
export function renderTrace({ asked, matches }: Trace, screen: Screen): string {
  if (matches.length === 0) return `No release on record has ${cleanText(asked)}, nor will the next one`;
  const rows = matches.map(({ package: name, version, isReleased, line, artifact, entry, origin, commit }) => [
    name,
    isReleased ? (version ?? '') : version === null ? 'not yet' : `not yet: would be ${version}`,
    line,
    commit.slice(0, 12),
    [artifact, entry].filter((part) => part !== null).join(': ') || blank(screen),
    originText(origin) || blank(screen),
  ]);
  const columns = ['package', 'first in', 'line', 'commit', 'where', 'made from'];
  return renderTable({ columns, rows, screen });
}

/** The `result` of `ledger trace --json`. */
export function traceJson({ matches }: Trace): unknown {
  return { matches };
}

function originText(origin: Origin | null): string {
  if (origin === null) return '';
  if (origin.type === 'source') return `${origin.path}${origin.stamped ? ', with the new version' : ''}`;
  if (origin.type === 'input') return `input ${origin.input}`;
  return origin.type === 'step' ? `step ${origin.step}` : 'written by Bevelstone';
}
