import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Build } from '../../flow/build.ts';
import { displayPath } from './display-path.ts';
import { type Screen, sign } from './screen.ts';
import { renderTable } from './table.ts';

/** What was built and where it lies; paths and sizes come last. */
export function renderBuild({ commit, releases, resting }: Build, screen: Screen): string {
  const { colours } = screen;
  const parts = resting.map(
    ({ name, reasons }) =>
      `${sign('nothing', screen)} nothing to build  ${cleanText(name)}: ${cleanText(reasons.join('; '))}`,
  );
  if (releases.length === 0) return [...parts, `Nothing was built from ${commit.slice(0, 7)}`].join('\n');
  const rows = releases.flatMap(({ artifacts, package: name, version }) =>
    artifacts.map(({ file, size, entries, sha256 }) => [
      `${name} ${version}`,
      file,
      formatBytes(size),
      String(entries),
      sha256.slice(0, 12),
    ]),
  );
  const columns = [
    { title: 'release' },
    { title: 'artifact' },
    { title: 'size', align: 'right' as const },
    { title: 'entries', align: 'right' as const },
    { title: 'sha256' },
  ];
  const head = `${colours.bold('Built')} from a fresh checkout of ${commit.slice(0, 7)}`;
  const places = releases.map(({ folder }) => `  ${displayPath(folder)}/`);
  return [
    ...parts,
    ...(parts.length > 0 ? [''] : []),
    head,
    '',
    renderTable(columns, rows, screen),
    '',
    ...places,
  ].join('\n');
}

/** The `result` of `build --json`. */
export function buildJson({ commit, dirty, releases }: Build): unknown {
  return { commit, dirty, releases, twice: null };
}
