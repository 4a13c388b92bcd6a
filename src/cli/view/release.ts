import { itemText } from '../../core/changelog/section.ts';
import { isSbom } from '../../core/form/definitions.ts';
import { type CardRelease, findingText, type ReleaseCard } from '../../core/record/release-card.ts';
import { partialTexts } from '../../core/record/release-record.ts';
import { summaryText } from '../../core/surface/check.ts';
import { formatBytes } from '../../core/text/bytes.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { Gate } from '../../flow/release/gates.ts';
import type { MovedDestination } from '../../flow/release/moved-destinations.ts';
import type { Released } from '../../flow/release/release.ts';
import { renderDeliveries } from './deliveries.ts';
import { blank, type Screen, sign } from './screen.ts';
import { numberColumn, pathColumn, renderTable } from './table.ts';
import { beside, indented } from './wrap.ts';

/** The gates that hold, in one line; those that do not are in the error that follows. */
export function renderGates(gates: readonly Gate[], screen: Screen): string {
  const open = gates.filter(({ trouble }) => trouble === null).map(({ gate }) => cleanText(gate));
  return open.length === 0 ? '' : beside(`${sign('done', screen)} gates hold: `, open.join(', '), screen);
}

/** The release card: all that is about to happen, before the one question. */
export function renderCard(card: ReleaseCard, screen: Screen): string {
  const { colours } = screen;
  const [first] = card.releases;
  const item = card.releases.length === 1 && first !== undefined ? `${first.package} ${first.version}` : null;
  const head = `${colours.bold('Release card')}  ${cleanText(item ?? `${card.releases.length} packages`)}, ${card.stream}`;
  const columns = ['package', 'last', 'next', 'weight', 'because'];
  const rows = card.releases.map(({ package: name, last, version, weight, reasons }) => [
    name,
    last ?? blank(screen),
    version,
    weight,
    reasons.join('; '),
  ]);
  const paint = (_: number, column: number, text: string) => (column === 2 ? colours.bold(colours.cyan(text)) : text);
  const resting =
    card.resting.length === 0
      ? []
      : ['', beside('    ', `nothing to release: ${card.resting.map(cleanText).join(', ')}`, screen)];
  return [
    '',
    head,
    '',
    renderTable({ columns, rows, screen, paint }),
    ...resting,
    '',
    ...card.releases.flatMap((release) => renderReleaseNotes(release, screen)),
    renderTable({
      columns: [pathColumn('artifact'), numberColumn('size'), 'SHA-256', 'goes to'],
      rows: card.releases.flatMap(({ artifacts }) =>
        artifacts
          .filter(isShown)
          .map(({ file, sizeBytes, sha256, to }) => [
            file,
            formatBytes(sizeBytes),
            sha256.slice(0, 12),
            to.join(', ') || blank(screen),
          ]),
      ),
      screen,
    }),
    '',
    ...card.destinations.map(({ name, url }) => `    ${cleanText(name)} is ${cleanText(url)}`),
    ...(card.destinations.length === 0 ? ['    nothing is uploaded: no package has a destination'] : []),
    '',
    ...labelled(factsOf(card), screen),
    '',
  ].join('\n');
}

/** So many lines of notes, and findings, of one package are on the card; the page has all. */
const maxNotes = 12;
const maxFindings = 6;

function renderReleaseNotes({ package: name, notes }: CardRelease, screen: Screen): string[] {
  const { colours } = screen;
  const intro = notes.intro === null ? [] : cleanLines(notes.intro.trim()).split('\n');
  const items = notes.sections.flatMap(({ title, items }) =>
    items.map((item) => `${title}: ${cleanText(itemText(item))}`),
  );
  const lines = [...intro, ...items].map((text) => beside('      ', text, screen));
  if (lines.length === 0) return [];
  return [`    ${colours.dim('notes of')} ${cleanText(name)}`, ...firstOf(lines, maxNotes, '      '), ''];
}

function firstOf(lines: readonly string[], max: number, before: string): string[] {
  const rest = lines.length - max;
  return rest <= 1 ? [...lines] : [...lines.slice(0, max), `${before}and ${rest} more, on the page of --card FILE`];
}

/** SBOMs that go nowhere lie beside the artifacts, as always. */
function isShown({ form, to }: CardRelease['artifacts'][number]): boolean {
  return to.length > 0 || !isSbom({ form });
}

/** Facts with their label; each may have several lines. */
function factsOf(card: ReleaseCard): (readonly [string, readonly string[]])[] {
  const { writes, commit, source } = card;
  const files =
    writes.length <= 4 ? writes.join(', ') : `${writes.slice(0, 3).join(', ')} and ${writes.length - 3} more`;
  const findings = card.releases.flatMap((release) => firstOf(release.findings.map(findingText), maxFindings, ''));
  const surfaces = card.releases.flatMap(({ surface = [] }) => surface);
  const rehearsed = card.releases.filter((release) => release.rehearsed.length > 0).map(rehearsalOf);
  const without = card.releases.flatMap((release) => release.without.map((text) => `${release.package}: ${text}`));
  const from = commit === source ? '' : ` (${source.slice(0, 12)} plus the new versions)`;
  const facts: (readonly [string, readonly string[]])[] = [
    ['built from', [`${commit.slice(0, 12)}${from}`]],
    ['writes', [writes.length === 0 ? 'no files in the repository' : files]],
    ['pushes', [`${card.pushes.join(', ')}${card.remote === null ? '' : ` to ${card.remote}`}, all or nothing`]],
    ['rules', findings.length === 0 ? ['no findings'] : findings],
    ['partial', partialTexts(card.releases.flatMap(({ artifacts }) => artifacts))],
    ['surface', surfaces.map(summaryText)],
    ['accepted', surfaces.flatMap(({ excepted }) => excepted.map(({ name, reason }) => `${name}: ${reason}`))],
    ['rehearsed', rehearsed],
    ['without', without],
    ['not sent', card.unsent],
    ['not tested', card.untested],
    ['allowed', card.opted],
  ];
  return facts.filter(([, lines]) => lines.length > 0);
}

function rehearsalOf({ package: name, rehearsed }: CardRelease): string {
  return `${name}: ${[...new Set(rehearsed)].join(', ')}`;
}

const labelWidth = 11;

function labelled(facts: readonly (readonly [string, readonly string[]])[], screen: Screen): string[] {
  return facts.flatMap(([label, texts]) =>
    texts.map((text, index) =>
      beside(`    ${screen.colours.dim((index === 0 ? label : '').padEnd(labelWidth))} `, cleanText(text), screen),
    ),
  );
}

/** Destinations that changed since a release was begun, for the question. */
export function renderMoved(moved: readonly MovedDestination[], screen: Screen): string {
  const lines = moved.map(({ destination, from, to }) =>
    from === to ? `${destination}: the same address, ${to}` : `${destination}: ${from} -> ${to}`,
  );
  return [
    screen.colours.bold('Destinations have changed since this release was started'),
    ...lines.map((line) => beside('    ', cleanText(line), screen)),
  ].join('\n');
}

/** What came of the run: one line per release, then where things are. */
export function renderReleased({ releases, run, dryRun, advice, page, error }: Released, screen: Screen): string {
  const card = page === null ? [] : [`  ${cleanText(page)}`];
  if (dryRun)
    return [`${sign('nothing', screen)} dry run: nothing was changed, tagged, pushed or uploaded`, ...card].join('\n');
  const notes = advice.map((text) => indented(2, cleanText(text), screen));
  if (releases.length === 0) return [`${sign('done', screen)} run ${run}`, ...notes].join('\n');
  const names = releases.map(({ tag }) => tag).join(', ');
  const head = screen.colours.bold(cleanText(error === null ? `Released ${names}` : `Not finished: ${names}`));
  return [
    beside('', head, screen),
    '',
    renderDeliveries(releases, screen),
    '',
    ...(notes.length === 0 ? [] : [...notes, '']),
    `  run ${run}`,
    ...card,
  ].join('\n');
}

/** The `result` of `release --json`. */
export function releasedJson({ run, releases, advice, page }: Released): unknown {
  return { run: run === '' ? null : run, releases, advice, page };
}
