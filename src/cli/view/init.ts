import { withPlainTags } from '../../core/config/format-config.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { Init } from '../../flow/survey/init.ts';
import type { TriedRelease } from '../../flow/survey/try-patterns.ts';
import { displayPath } from './display-path.ts';
import { blank, type Screen, sign } from './screen.ts';
import { renderTable } from './table.ts';

/** What was found and written, and what to do next; of a dry run the text itself. */
export function renderInit({ written, text, packages, wrote, limits, tried }: Init, screen: Screen): string {
  if (!written) return cleanLines(text);
  const rows = packages.map(({ name, last, next }) => [name, last ?? blank(screen), next ?? blank(screen)]);
  return [
    ...wrote.map(({ file, what }) => `${sign('done', screen)} wrote ${cleanText(displayPath(file))}: ${what}`),
    '',
    '  What the first survey says:',
    '',
    renderTable({ columns: ['package', 'last', 'next'], rows, screen }),
    ...(tried.length === 0 ? [] : ['', ...renderTried(tried, screen)]),
    ...(limits.length === 0 ? [] : ['', ...limits.map((limit) => `${sign('warning', screen)} ${cleanText(limit)}`)]),
    '',
    '  Read bevelstone.yaml, name destinations, commit it, then: bevelstone survey --changes',
  ].join('\n');
}

function renderTried(tried: readonly TriedRelease[], screen: Screen): string[] {
  const rows = tried.map(({ tag, released, computed }) => [tag, released, computed ?? 'none']);
  return [
    '  What this configuration would have made of the last releases:',
    '',
    renderTable({ columns: ['tag', 'released', 'computed'], rows, screen }),
  ];
}

/** The `result` of `init --json`. */
export function initJson({ file, written, config, packages, wrote, limits, tried }: Init): unknown {
  return { file, written, config: withPlainTags(config), packages, wrote, limits, tried };
}
