import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { Init } from '../../flow/survey/init.ts';
import { displayPath } from './display-path.ts';
import { blank, type Screen, sign } from './screen.ts';
import { renderTable } from './table.ts';

/** What was found, and what to do next; of a dry run the text itself. */
export function renderInit({ file, written, text, packages }: Init, screen: Screen): string {
  if (!written) return cleanLines(text);
  const rows = packages.map(({ name, last, next }) => [name, last ?? blank(screen), next ?? blank(screen)]);
  return [
    `${sign('done', screen)} wrote ${cleanText(displayPath(file))}, and its first survey says:`,
    '',
    renderTable({ columns: ['package', 'last', 'next'], rows, screen }),
    '',
    '  Read it, add destinations, commit it, then: bevelstone survey --changes',
  ].join('\n');
}

/** The `result` of `init --json`. */
export function initJson({ file, written, config, packages }: Init): unknown {
  return { file, written, config, packages };
}
