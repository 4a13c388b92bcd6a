import { cleanText } from '../../core/text/clean.ts';
import type { GitCell } from '../../flow/trial/git/try-from-git.ts';
import type { GitPackage, GitVerification } from '../../flow/trial/git/verify-git.ts';
import { blank, type Mark, type Screen, sign, signText } from './screen.ts';
import { renderTable } from './table.ts';
import { beside } from './wrap.ts';

const marks: Readonly<Record<GitCell['state'], Mark>> = { works: 'done', fails: 'refused', 'not-tried': 'nothing' };
const words: Readonly<Record<GitCell['state'], string>> = { works: 'works', fails: 'fails', 'not-tried': 'not tried' };

/** More names than this are only counted. */
const mostNames = 6;

/** Which client gets what by which way, and below the table why not. */
export function renderGitVerification({ remote, packages }: GitVerification, screen: Screen): string {
  const rows = packages.map((one) => [
    `${one.package} ${one.version}`,
    one.client ?? blank(screen),
    ...[one.git, one.archive, one.registry].map(({ state }) => `${signText(marks[state], screen)} ${words[state]}`),
  ]);
  const columns = ['package', 'client', 'git', 'archive URL', 'registry'];
  const below = packages.map((one) => detailsOf(one, screen)).filter((lines) => lines.length > 0);
  return [
    screen.colours.bold(`From ${cleanText(remote)}, as clients get it`),
    renderTable({ columns, rows, screen }),
    ...below.map((lines) => lines.join('\n')),
  ].join('\n\n');
}

function detailsOf(one: GitPackage, screen: Screen): string[] {
  const reasons = (
    [
      ['git', one.git],
      ['archive URL', one.archive],
      ['registry', one.registry],
    ] as const
  ).flatMap(([how, { state, why }]) => (why === null ? [] : [{ how, state, why }]));
  // The same reason for several ways is said once.
  const grouped = [
    ...new Map(reasons.map(({ why }) => [why, reasons.filter((reason) => reason.why === why)])).values(),
  ];
  const lines = grouped.map((group) => {
    const [first] = group;
    const mark = marks[first?.state ?? 'not-tried'];
    const how = group.map((reason) => reason.how).join(', ');
    return beside(`  ${sign(mark, screen)} ${how}: `, cleanText((first?.why ?? '').replaceAll('\n', '; ')), screen);
  });
  const notes = [
    ...(one.extra === null || one.extra.length === 0
      ? []
      : [`an install from git also brings ${some(one.extra)}, which the artifact leaves out`]),
    ...(one.builtFirst.length === 0
      ? []
      : [`built first: ${some(one.builtFirst.map(({ file, field }) => `${file} (\`${field}\`)`))}`]),
    ...(one.scripts.length === 0 ? [] : [`scripts that run for whoever installs: ${one.scripts.join(', ')}`]),
  ].map((text) => beside(`  ${sign('nothing', screen)} `, cleanText(text), screen));
  return lines.length + notes.length === 0 ? [] : [screen.colours.bold(cleanText(one.package)), ...lines, ...notes];
}

function some(names: readonly string[]): string {
  const more = names.length > mostNames ? ` and ${names.length - mostNames} more` : '';
  return names.slice(0, mostNames).join(', ') + more;
}
