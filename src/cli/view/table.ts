import Table from 'cli-table3';
import { cleanText } from '../../core/text/clean.ts';
import type { Screen } from './screen.ts';

const noBorders = Object.fromEntries(
  [
    'top',
    'top-mid',
    'top-left',
    'top-right',
    'bottom',
    'bottom-mid',
    'bottom-left',
    'bottom-right',
    'left',
    'left-mid',
    'mid',
    'mid-mid',
    'right',
    'right-mid',
    'middle',
  ].map((part) => [part, '']),
);

/** How a column is set; the last one takes what is left and breaks between words. */
export type Column = { readonly title: string; readonly align?: 'left' | 'right' };

/**
 * A table without lines, indented by four, that fits the screen where its words allow. Cells are cleaned here, so they
 * may hold text from outside; colour is given per row through `paint`.
 */
export function renderTable({
  columns,
  rows,
  screen,
  paint = (_row, _column, text) => text,
}: {
  readonly columns: readonly Column[];
  readonly rows: readonly (readonly string[])[];
  readonly screen: Screen;
  readonly paint?: (row: number, column: number, text: string) => string;
}): string {
  const cells = rows.map((row) => row.map(cleanText));
  const widths = columns.map(
    ({ title }, column) => Math.max(title.length, ...cells.map((row) => (row[column] ?? '').length)) + 2,
  );
  const before = 4 + widths.slice(0, -1).reduce((sum, width) => sum + width, 0);
  // A path that is cut off helps nobody: a long word may leave the screen, other text goes on below.
  const longest = Math.max(
    ...cells.map((row) => Math.max(0, ...(row.at(-1) ?? '').split(' ').map((word) => word.length))),
    0,
  );
  const title = columns.at(-1)?.title.length ?? 0;
  const full = widths.at(-1) ?? 0;
  // A few words are read faster on one line, even beyond the edge.
  const last = full <= 20 ? full : Math.max(title + 2, longest + 2, Math.min(full, screen.columns - before));
  const table = new Table({
    chars: noBorders,
    style: { 'padding-left': 0, 'padding-right': 2, head: [], border: [], compact: true },
    colWidths: [...widths.slice(0, -1), last],
    colAligns: columns.map(({ align }) => align ?? 'left'),
    wordWrap: true,
    wrapOnWordBoundary: true,
  });
  table.push(columns.map(({ title }) => screen.colours.dim(title)));
  for (const [row, texts] of cells.entries()) table.push(texts.map((text, column) => paint(row, column, text)));
  return table
    .toString()
    .split('\n')
    .map((line) => `    ${line}`.trimEnd())
    .join('\n');
}
