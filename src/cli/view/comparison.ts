import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { ArtifactComparison, NamedChange } from '../../flow/artifact/compare-artifacts.ts';
import { blank, type Screen, sign } from './screen.ts';
import { numberColumn, pathColumn, renderTable } from './table.ts';

/** How an artifact differs from another one: entries, sizes by folder, dependencies, entry points. */
export function renderComparison(comparison: ArtifactComparison, screen: Screen): string {
  const { against, added, removed, changed, sizes, dependencies, entryPoints } = comparison;
  const rows = [
    ...added.map(({ path, sizeBytes }) => ['added', path, blank(screen), formatBytes(sizeBytes), '']),
    ...removed.map(({ path, sizeBytes }) => ['removed', path, formatBytes(sizeBytes), blank(screen), '']),
    ...changed.map(({ path, before, after, what }) => [
      'changed',
      path,
      formatBytes(before.sizeBytes),
      formatBytes(after.sizeBytes),
      what.filter((aspect) => aspect !== 'content').join(', '),
    ]),
  ];
  const columns = ['change', pathColumn('path'), numberColumn('before'), numberColumn('now'), ''];
  const title = `  Compared with ${cleanText(against)}`;
  const same = `${title}\n\n${sign('nothing', screen)} the same entries with the same content`;
  const blocks = [rows.length === 0 ? same : `${title}\n\n${renderTable({ columns, rows, screen })}`];
  const grown = sizes.filter(({ before, after }) => before !== after);
  if (grown.length > 0) {
    const sizeRows = grown.map(({ folder, before, after }) => [
      folder === '' ? '(top)' : `${folder}/`,
      formatBytes(before),
      formatBytes(after),
      `${after > before ? '+' : '-'}${formatBytes(Math.abs(after - before))}`,
    ]);
    const sizeColumns = ['before', 'now', 'by'].map(numberColumn);
    blocks.push(renderTable({ columns: [pathColumn('folder'), ...sizeColumns], rows: sizeRows, screen }));
  }
  if (dependencies === null) blocks.push('  dependencies and entry points: compare with a file to see them');
  else
    blocks.push(
      ...[named('dependency', dependencies, screen), named('entry point', entryPoints ?? [], screen)].filter(Boolean),
    );
  return blocks.join('\n\n');
}

function named(title: string, changes: readonly NamedChange[], screen: Screen): string {
  if (changes.length === 0) return '';
  const rows = changes.map(({ name, before, after }) => [name, before ?? blank(screen), after ?? blank(screen)]);
  return renderTable({ columns: [title, 'before', 'now'], rows, screen });
}
