import type { Origin } from '../../core/contents/entry.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Trace } from '../../flow/ledger/ledger-trace.ts';
import { renderPartials } from './deploy-list.ts';
import { blank, type Screen } from './screen.ts';
import { renderTable } from './table.ts';

/** Where something was released first, one line per package, line and place. */
export function renderTrace({ asked, matches, outputs }: Trace, screen: Screen): string {
  if (matches.length + outputs.length === 0)
    return `No release on record has ${cleanText(asked)}, nor will the next one`;
  const isDeployed = matches.some(({ deployedTo }) => deployedTo.length > 0);
  const rows = matches.map(
    ({ package: name, version, isReleased, line, artifact, entry, origin, commit, deployedTo }) => [
      name,
      isReleased ? (version ?? '') : version === null ? 'not yet' : `not yet: would be ${version}`,
      line,
      commit.slice(0, 12),
      [artifact, entry].filter((part) => part !== null).join(': ') || blank(screen),
      originText(origin) || blank(screen),
      ...(isDeployed ? [deployedTo.join(', ') || blank(screen)] : []),
    ],
  );
  const columns = [
    'package',
    'first in',
    'line',
    'commit',
    'where',
    'made from',
    ...(isDeployed ? ['deployed to'] : []),
  ];
  const table = rows.length === 0 ? '' : renderTable({ columns, rows, screen });
  return [table, renderPartials(outputs, screen)].filter((block) => block !== '').join('\n\n');
}

/** The `result` of `ledger trace --json`. */
export function traceJson({ matches, outputs }: Trace): unknown {
  return { matches, outputs };
}

function originText(origin: Origin | null): string {
  if (origin === null) return '';
  if (origin.type === 'source') return `${origin.path}${origin.stamped ? ', with the new version' : ''}`;
  if (origin.type === 'input') return `input ${origin.input}`;
  return origin.type === 'step' ? `step ${origin.step}` : 'written by Bevelstone';
}
