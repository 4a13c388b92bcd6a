import { isSbom } from '../../core/form/definitions.ts';
import type { CardRelease, ReleaseCard } from '../../core/record/release-card.ts';
import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Gate } from '../../flow/release/gates.ts';
import type { Released } from '../../flow/release/release.ts';
import { deliveryTable } from './publish.ts';
import { blank, type Screen, sign } from './screen.ts';
import { renderTable } from './table.ts';

/** Gates: those that hold in one line, each that does not in one of its own. */
export function renderGates(gates: readonly Gate[], screen: Screen): string {
  const open = gates.filter(({ trouble }) => trouble === null).map(({ gate }) => cleanText(gate));
  const shut = gates.flatMap(({ gate, trouble }) => (trouble === null ? [] : [{ gate, ...trouble }]));
  const held = open.length === 0 ? [] : [`${sign('done', screen)} gates hold: ${open.join(', ')}`];
  const lines = shut.flatMap(({ gate, why, fix }) => [
    `${sign('refused', screen)} gate shut: ${cleanText(gate)}: ${cleanText(why.split('\n')[0] ?? '')}`,
    `    ${cleanText(fix.split('\n')[0] ?? '')}`,
  ]);
  return [...held, ...lines].join('\n');
}

/** The release card: all that is about to happen, before the one question. */
export function renderCard(card: ReleaseCard, screen: Screen): string {
  const { colours } = screen;
  const [first] = card.releases;
  const one = card.releases.length === 1 && first !== undefined ? `${first.package} ${first.version}` : null;
  const head = `${colours.bold('Release card')}  ${cleanText(one ?? `${card.releases.length} packages`)}, ${card.stream}`;
  const columns = ['package', 'last', 'next', 'weight', 'because'].map((title) => ({ title }));
  const rows = card.releases.map(({ package: name, last, version, weight, reasons }) => [
    name,
    last ?? blank(screen),
    version,
    weight,
    reasons.join('; '),
  ]);
  const paint = (_: number, column: number, text: string) => (column === 2 ? colours.bold(colours.cyan(text)) : text);
  const resting =
    card.resting.length === 0 ? [] : ['', `    nothing to release: ${card.resting.map(cleanText).join(', ')}`];
  return [
    '',
    head,
    '',
    renderTable({ columns, rows, screen, paint }),
    ...resting,
    '',
    renderTable({
      columns: [{ title: 'artifact' }, { title: 'size', align: 'right' }, { title: 'SHA-256' }, { title: 'goes to' }],
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

/** SBOMs that go nowhere lie beside the artifacts, as always. */
function isShown({ form, to }: CardRelease['artifacts'][number]): boolean {
  return to.length > 0 || !isSbom({ form });
}

/** Facts with their label; each may have several lines. */
function factsOf(card: ReleaseCard): (readonly [string, readonly string[]])[] {
  const { writes, commit, source } = card;
  const files =
    writes.length <= 4 ? writes.join(', ') : `${writes.slice(0, 3).join(', ')} and ${writes.length - 3} more`;
  const findings = card.releases.map(findingsOf).filter((text) => text !== '');
  const rehearsed = card.releases.filter((one) => one.rehearsed.length > 0).map(rehearsalOf);
  const without = card.releases.flatMap((one) => one.without.map((text) => `${one.package}: ${text}`));
  const from = commit === source ? '' : `, which is ${source.slice(0, 12)} with the versions in it`;
  const facts: (readonly [string, readonly string[]])[] = [
    ['built from', [`${commit.slice(0, 12)}${from}`]],
    ['writes', [writes.length === 0 ? 'nothing into the repository' : files]],
    ['pushes', [`${card.pushes.join(', ')}${card.remote === null ? '' : ` to ${card.remote}`}, all or nothing`]],
    ['rules', findings.length === 0 ? ['nothing found'] : findings],
    ['rehearsed', rehearsed],
    ['without', without],
    ['let pass', card.opted],
  ];
  return facts.filter(([, lines]) => lines.length > 0);
}

function findingsOf({ package: name, warned, rules }: CardRelease): string {
  return warned === 0 ? '' : `${name}: ${warned} ${warned === 1 ? 'warning' : 'warnings'}, ${rules.join(', ')}`;
}

function rehearsalOf({ package: name, rehearsed }: CardRelease): string {
  return `${name}: ${[...new Set(rehearsed)].join(', ')}`;
}

const labelWidth = 11;

function labelled(facts: readonly (readonly [string, readonly string[]])[], screen: Screen): string[] {
  const width = screen.columns - labelWidth - 6;
  return facts.flatMap(([label, texts]) =>
    texts
      .flatMap((text) => wrapWords(cleanText(text), width))
      .map((line, index) => `    ${screen.colours.dim((index === 0 ? label : '').padEnd(labelWidth))} ${line}`),
  );
}

/** Breaks between words only; a word that is too long stays whole. */
function wrapWords(text: string, width: number): string[] {
  const lines: string[] = [];
  for (const word of text.split(' ')) {
    const last = lines.at(-1);
    if (last === undefined || last.length + 1 + word.length > width)
      lines.push(lines.length === 0 ? word : `  ${word}`);
    else lines[lines.length - 1] = `${last} ${word}`;
  }
  return lines;
}

/** What came of the run: deliveries, then where things are. */
export function renderReleased({ releases, run, dryRun, advice, page, error }: Released, screen: Screen): string {
  const card = page === null ? [] : [`  ${cleanText(page)}`];
  if (dryRun)
    return [`${sign('nothing', screen)} dry run: nothing was changed, tagged, pushed or sent`, ...card].join('\n');
  if (releases.length === 0)
    return [`${sign('done', screen)} run ${run}`, ...advice.map((text) => `    ${cleanText(text)}`)].join('\n');
  const deliveries = releases.flatMap(({ package: name, version, deliveries }) =>
    deliveries.map((delivery) => ({ name, version, ...delivery })),
  );
  const names = releases.map(({ tag }) => tag).join(', ');
  const head = error === null ? `Released ${names}` : `Not finished: ${names}`;
  const table =
    deliveries.length === 0 ? screen.colours.bold(cleanText(head)) : deliveryTable(cleanText(head), deliveries, screen);
  const notes = advice.map((text) => `  ${cleanText(text)}`);
  return [table, ...(notes.length === 0 ? [] : ['', ...notes]), '', `  run ${run}`, ...card].join('\n');
}

/** The `result` of `release --json`. */
export function releasedJson({ run, releases, advice, page }: Released): unknown {
  return { run: run === '' ? null : run, releases, advice, page };
}
