import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { BuiltPartial, PartialBuild } from '../../flow/partial/build-partial.ts';
import { displayPath } from './display-path.ts';
import { blank, type Screen } from './screen.ts';
import { pathColumn, renderTable } from './table.ts';
import { beside } from './wrap.ts';

/** What went into archives with only some changes, and what did not. */
export function renderPartials({ partials }: PartialBuild, screen: Screen): string {
  return partials.map((partial) => renderPartial(partial, screen)).join('\n\n');
}

function renderPartial(partial: BuiltPartial, screen: Screen): string {
  const { package: name, version, base, entries, removed, issues, commits, unselected, place, sizeBytes } = partial;
  const short = (ids: readonly string[]) => ids.map((id) => id.slice(0, 7)).join(', ') || 'added by hand';
  const rows = [
    ...entries.map(({ path, effect, commits: own, alsoHolds }) => [
      effect,
      path,
      short(own),
      alsoHolds.length === 0 ? blank(screen) : short(alsoHolds),
    ]),
    ...removed.map(({ path, commits: own }) => ['removed', path, short(own), blank(screen)]),
  ];
  const row = (title: string, text: string) => beside(`    ${title.padEnd(12)} `, cleanText(text), screen);
  return [
    screen.colours.bold(cleanText(`Part of ${name} ${version}, to be put on ${base.version}`)),
    [
      row('issues', issues.join(', ') || 'none named'),
      row('commits', short(commits)),
      row('entries', `${entries.length}, and ${removed.length} removed`),
      ...(unselected.length === 0
        ? []
        : [
            row(
              'not in it',
              `${unselected.slice(0, 12).join(', ')}${unselected.length > 12 ? ` and ${unselected.length - 12} more` : ''}`,
            ),
          ]),
    ].join('\n'),
    renderTable({ columns: ['', pathColumn('entry'), 'from', 'also in it'], rows, screen }),
    `  ${displayPath(place)}  ${formatBytes(sizeBytes)}`,
  ].join('\n\n');
}

/** The `result` of `build --changed-by --json`. */
export function partialsJson({ partials }: PartialBuild): unknown {
  return { partials };
}
