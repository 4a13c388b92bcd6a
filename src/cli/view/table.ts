import Table from 'cli-table3';
import { cleanText } from '../../core/text/clean.ts';
import { ellipsis, type Screen } from './screen.ts';

const indent = 4;
const gap = 2;

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

type ColumnSettings = { readonly title: string; readonly align?: 'left' | 'right'; readonly isPath?: boolean };

/**
 * A column by its title, or with how it is set. The last one takes what is left and breaks between words; one of paths
 * gives way before it.
 */
export type Column = string | ColumnSettings;

const minPathWidth = 18;

/** A column of paths or file names. */
export function pathColumn(title: string): ColumnSettings {
  return { title, isPath: true };
}

/** A column of numbers. */
export function numberColumn(title: string): ColumnSettings {
  return { title, align: 'right' };
}

/**
 * A table without lines, indented by four, that fits the screen where its words allow. Cells are cleaned here, so they
 * may hold text from outside; colour is given per row through `paint`. On a terminal that is too narrow, paths are
 * shortened in the middle; into a file or a pipe they go whole.
 */
export function renderTable({
  columns: given,
  rows,
  screen,
  paint = (_row, _column, text) => text,
}: {
  readonly columns: readonly Column[];
  readonly rows: readonly (readonly string[])[];
  readonly screen: Screen;
  readonly paint?: (row: number, column: number, text: string) => string;
}): string {
  const columns = given.map((column) => (typeof column === 'string' ? { title: column } : column));
  const cells = shortenPaths(
    columns,
    rows.map((row) => row.map(cleanText)),
    screen,
  );
  const widths = widthsOf(columns, cells);
  const table = new Table({
    chars: noBorders,
    style: { 'padding-left': 0, 'padding-right': gap, head: [], border: [], compact: true },
    colWidths: [...widths.slice(0, -1), lastWidth(columns, cells, screen)],
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

type Cells = readonly (readonly string[])[];

function widthsOf(columns: readonly ColumnSettings[], cells: Cells): number[] {
  return columns.map(
    ({ title }, column) => Math.max(title.length, ...cells.map((row) => (row[column] ?? '').length)) + gap,
  );
}

/** The width of the last column: what is left of the screen, but no less than its longest word. */
function lastWidth(columns: readonly ColumnSettings[], cells: Cells, screen: Screen): number {
  const widths = widthsOf(columns, cells);
  const full = widths.at(-1) ?? 0;
  // A few words are read faster on one line, even beyond the edge.
  if (full <= 20) return full;
  const before = indent + sum(widths.slice(0, -1));
  return Math.max(narrowest(columns, cells, columns.length - 1), Math.min(full, screen.columns - before));
}

/** How narrow a column may become when its text breaks between words. */
function narrowest(columns: readonly ColumnSettings[], cells: Cells, column: number): number {
  const words = cells.flatMap((row) => (row[column] ?? '').split(' ').map((word) => word.length));
  return Math.max(columns[column]?.title.length ?? 0, ...words) + gap;
}

/** Takes what is missing from the widest column of paths, again and again. */
function shortenPaths(columns: readonly ColumnSettings[], cells: Cells, screen: Screen): Cells {
  if (!screen.isTerminal || !columns.some(({ isPath }) => isPath === true)) return cells;
  const widths = widthsOf(columns, cells);
  const last = columns.length - 1;
  if (columns[last]?.isPath !== true && (widths[last] ?? 0) > 20) widths[last] = narrowest(columns, cells, last);
  const room = screen.columns - indent;
  for (let over = sum(widths) - gap - room; over > 0; over--) {
    const widest = columns.reduce(
      (best, { isPath }, column) => (isPath === true && (widths[column] ?? 0) > (widths[best] ?? 0) ? column : best),
      -1,
    );
    if (widest < 0 || (widths[widest] ?? 0) <= minPathWidth + gap) break;
    widths[widest] = (widths[widest] ?? 0) - 1;
  }
  return cells.map((row) =>
    row.map((text, column) =>
      columns[column]?.isPath === true ? shortenMiddle(text, (widths[column] ?? 0) - gap, screen) : text,
    ),
  );
}

/** A path that still shows where it begins and what it ends with. */
function shortenMiddle(text: string, width: number, screen: Screen): string {
  if (text.length <= width) return text;
  const left = ellipsis(screen);
  const room = Math.max(2, width - left.length);
  const end = Math.ceil(room * 0.6);
  return text.slice(0, room - end) + left + text.slice(text.length - end);
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((all, number) => all + number, 0);
}
