import { sbomTitles } from '../../core/name/form.ts';
import { dependencyKinds, type Sbom, type SbomPackage } from '../../core/sbom/sbom.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { SbomCheck, SbomMerge, SbomView } from '../../flow/sbom/sbom-check.ts';
import type { SbomsWritten } from '../../flow/sbom/sbom-write.ts';
import { displayPath } from './display-path.ts';
import { blank, type Screen, sign } from './screen.ts';
import { numberColumn, pathColumn, renderTable } from './table.ts';
import { beside } from './wrap.ts';

/** Where dependencies were found, what could not be determined, and the files that were written, which come last. */
export function renderWritten({ sboms, sources, unknown }: SbomsWritten, screen: Screen): string {
  const none = blank(screen);
  const show = (count: number) => (count === 0 ? none : String(count));
  const rows = sources.map((source) => [
    source.path,
    ...(source.unread === null
      ? [
          show(source.direct),
          show(source.indirect),
          show(source.withoutLicence),
          show(source.withoutDigest),
          source.format,
        ]
      : [none, none, none, none, 'not read']),
  ]);
  const columns = [
    pathColumn('found in'),
    ...['direct', 'indirect', 'no licence', 'no digest'].map(numberColumn),
    'as',
  ];
  const notes = unknown
    .slice(0, shown)
    .map((text) => beside(`${sign('warning', screen)} unknown  `, cleanText(text), screen));
  const rest = unknown.length > shown ? [`  and ${unknown.length - shown} more, all of them in the SBOM`] : [];
  const width = Math.max(0, ...sboms.map(({ file }) => displayPath(file).length));
  const files = sboms.map(
    ({ file, components, files: count }) =>
      `${sign('done', screen)} SBOM  ${displayPath(file).padEnd(width)}  ${screen.colours.dim(`${counted(components, 'component')}, ${counted(count, 'file')}`)}`,
  );
  return [
    sources.length === 0 ? 'No dependencies found in manifests or lockfiles' : renderTable({ columns, rows, screen }),
    ...(notes.length === 0 ? [] : [[...notes, ...rest].join('\n')]),
    files.join('\n'),
  ].join('\n\n');
}

const shown = 8;

/** The `result` of `sbom write --json`. */
export function writtenJson({ sboms, sources, unknown }: SbomsWritten): unknown {
  return { sboms, sources, unknown };
}

/** What is wrong with an SBOM, each with its place; the verdict is the last line. */
export function renderSbomCheck(
  { file, kind, problems, missing, extra, altered, against }: SbomCheck,
  screen: Screen,
): string {
  const refused = sign('refused', screen);
  const line = (word: string, text: string) => beside(`${refused} ${word.padEnd(7)}  `, cleanText(text), screen);
  const lines = [
    ...problems.map(({ pointer, message }) =>
      line('wrong', `${pointer === '' ? 'the document' : pointer}: ${message}`),
    ),
    ...missing.map((path) => line('missing', `${path} is listed in the SBOM but does not exist`)),
    ...extra.map((path) => line('extra', `${path} exists but is not listed in the SBOM`)),
    ...altered.map((path) => line('altered', `the digest of ${path} differs from the SBOM`)),
  ];
  const most = 40;
  const cut =
    lines.length > most ? [...lines.slice(0, most), `  and ${lines.length - most} more; --json has them all`] : lines;
  const name = sbomTitles[kind];
  const compared =
    against === null
      ? ''
      : missing.length + extra.length + altered.length === 0
        ? ` and lists exactly the files of ${cleanText(against)}`
        : '';
  const verdict =
    problems.length > 0
      ? beside(`${refused} `, `${cleanText(file)} is not valid ${name}`, screen)
      : beside(`${sign('done', screen)} `, `${cleanText(file)} is valid ${name}${compared}`, screen);
  return [...(cut.length === 0 ? [] : [cut.join('\n')]), verdict].join('\n\n');
}

/** What a merge made. */
export function renderMerge({ file, components, files }: SbomMerge, screen: Screen): string {
  return `${sign('done', screen)} merged  ${displayPath(file)}  ${screen.colours.dim(`${counted(components, 'component')}, ${counted(files, 'file')}`)}`;
}

/** An SBOM as a tree with licences, or what changed since another. */
export function renderSbom(view: SbomView, screen: Screen): string {
  return view.comparison === null ? renderTree(view.sbom, screen) : renderChanges(view, screen);
}

const deepest = 20;

function renderTree(sbom: Sbom, screen: Screen): string {
  const { colours } = screen;
  const byId = new Map(sbom.packages.map((pkg) => [pkg.id, pkg]));
  const needs = new Map<string, { to: string; type: string }[]>();
  for (const { from, to, type } of sbom.relations) needs.set(from, [...(needs.get(from) ?? []), { to, type }]);
  const seen = new Set<string>();
  const lines: string[] = [];
  // Without recursion: an SBOM from outside may be one long chain.
  const waiting = [...sbom.subjects].reverse().map((id) => ({ id, depth: 0, kind: '' }));
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    const { id, depth, kind } = next;
    const item = byId.get(id);
    if (item === undefined) continue;
    const isAgain = seen.has(id);
    seen.add(id);
    lines.push(`${'  '.repeat(Math.min(depth, deepest))}${describe({ sbomPackage: item, kind, isAgain, screen })}`);
    const inner = isAgain ? [] : [...(needs.get(id) ?? [])].sort((x, y) => rank(y.type) - rank(x.type));
    for (const { to, type } of inner) waiting.push({ id: to, depth: depth + 1, kind: type });
  }
  const rest = sbom.packages.filter(({ id }) => !seen.has(id));
  if (rest.length > 0)
    lines.push(
      '',
      colours.dim('listed, but not a dependency of anything in the SBOM'),
      ...rest.map((pkg) => `  ${describe({ sbomPackage: pkg, kind: '', isAgain: false, screen })}`),
    );
  const dependencies = sbom.packages.filter(({ role }) => role === 'dependency');
  const unknown = sbom.unknown.map((text) => beside(`${sign('warning', screen)} unknown  `, cleanText(text), screen));
  const unlicensed = dependencies.filter(({ licence }) => licence === null).length;
  const parts = [
    counted(dependencies.length, 'component'),
    ...(unlicensed === 0 ? [] : [`${unlicensed} without a licence`]),
    ...licenceCounts(dependencies),
  ];
  const sum = beside('', parts.join(', '), screen);
  return [lines.join('\n'), ...(unknown.length === 0 ? [] : [unknown.join('\n')]), sum].join('\n\n');
}

function rank(type: string): number {
  return ['contains', 'generated-from', ...dependencyKinds].indexOf(type);
}

function describe({
  sbomPackage: { name, version, licence, files, role },
  kind,
  isAgain,
  screen: { colours },
}: {
  readonly sbomPackage: SbomPackage;
  readonly kind: string;
  readonly isAgain: boolean;
  readonly screen: Screen;
}): string {
  const shownVersion = version === null ? '(version unknown)' : role === 'source' ? version.slice(0, 12) : version;
  const title = role === 'artifact' ? cleanText(name) : `${cleanText(name)} ${cleanText(shownVersion)}`;
  const word =
    kind === '' || kind === 'run' || kind === 'contains'
      ? ''
      : kind === 'generated-from'
        ? ' made from this commit'
        : ` ${kind}`;
  const more = [
    role === 'artifact' || role === 'source' ? null : (licence ?? 'licence unknown'),
    files === null ? null : counted(files.length, 'file'),
  ].filter((part) => part !== null);
  return `${title}  ${colours.dim(cleanText(`${more.join(', ')}${word}${isAgain ? ' (above)' : ''}`.trim()))}`.trimEnd();
}

function licenceCounts(dependencies: readonly SbomPackage[]): string[] {
  const counts = new Map<string, number>();
  for (const { licence } of dependencies) if (licence !== null) counts.set(licence, (counts.get(licence) ?? 0) + 1);
  const sorted = [...counts].sort((a, b) => b[1] - a[1]);
  return sorted.map(([licence, count]) => `${count} ${cleanText(licence.split('\n')[0] ?? '')}`).slice(0, 8);
}

function renderChanges({ comparison, against, file }: SbomView, screen: Screen): string {
  if (comparison === null) return '';
  const { added, removed, upgraded, relicensed } = comparison;
  const named = ({ name, version, licence }: (typeof added)[number]) =>
    `${cleanText(`${name} ${version ?? ''}`)}  ${screen.colours.dim(cleanText(licence ?? 'licence unknown'))}`;
  const changed = ({ name, before, after }: (typeof upgraded)[number]) =>
    `${cleanText(name)}  ${cleanText(before)} to ${cleanText(after)}`;
  const groups: [string, string[]][] = [
    ['added', added.map(named)],
    ['removed', removed.map(named)],
    ['upgraded', upgraded.map(changed)],
    ['other licence', relicensed.map(changed)],
  ];
  const blocks = groups
    .filter(([, list]) => list.length > 0)
    .map(([title, list]) => [screen.colours.bold(title), ...list.map((line) => `  ${line}`)].join('\n'));
  if (blocks.length === 0)
    return `${sign('nothing', screen)} nothing changed between ${cleanText(against ?? '')} and ${cleanText(file)}`;
  return blocks.join('\n\n');
}

/** The `result` of `sbom show --json`. */
export function sbomViewJson({ file, kind, sbom, comparison }: SbomView): unknown {
  const components = sbom.packages
    .filter(({ role }) => role === 'dependency')
    .map(({ name, version, purl, licence, supplier, digests, foundIn }) => ({
      name,
      version,
      purl,
      licence,
      supplier,
      digests,
      foundIn,
    }));
  const subjects = sbom.subjects.flatMap((id) => sbom.packages.find((pkg) => pkg.id === id)?.name ?? []);
  return { file, kind, subjects, components, unknown: sbom.unknown, ...(comparison ?? {}) };
}

function counted(count: number, what: string): string {
  return `${count} ${what}${count === 1 ? '' : 's'}`;
}
