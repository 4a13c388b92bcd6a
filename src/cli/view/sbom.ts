import { type OverviewRow, overviewOf, type SbomOverview, titleOf } from '../../core/sbom/overview.ts';
import type { SbomPackage } from '../../core/sbom/sbom.ts';
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
  { file, format, checked, problems, missing, extra, altered, against }: SbomCheck,
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
  const compared =
    against === null
      ? ''
      : missing.length + extra.length + altered.length === 0
        ? `${checked ? ' and' : ', and it'} lists exactly the files of ${cleanText(against)}`
        : '';
  const verdict =
    problems.length > 0
      ? beside(`${refused} `, `${cleanText(file)} is not valid ${cleanText(format)}`, screen)
      : checked
        ? beside(`${sign('done', screen)} `, `${cleanText(file)} is valid ${cleanText(format)}${compared}`, screen)
        : beside(
            `${sign('nothing', screen)} `,
            `${cleanText(file)} is ${cleanText(format)}, which Bevelstone reads and does not check${compared}`,
            screen,
          );
  return [...(cut.length === 0 ? [] : [cut.join('\n')]), verdict].join('\n\n');
}

/** What a merge made. */
export function renderMerge({ file, components, files }: SbomMerge, screen: Screen): string {
  return `${sign('done', screen)} merged  ${displayPath(file)}  ${screen.colours.dim(`${counted(components, 'component')}, ${counted(files, 'file')}`)}`;
}

/** An SBOM as a tree with licences, or what changed since another. */
export function renderSbom(view: SbomView, screen: Screen): string {
  if (view.page !== null) return `${sign('done', screen)} page  ${displayPath(view.page)}`;
  return view.comparison === null ? renderTree(view, screen) : renderChanges(view, screen);
}

const deepest = 20;

/** How an SBOM says what it is about, what that needs, under which licences, and what is not known. */
function renderTree({ sbom, format }: SbomView, screen: Screen): string {
  const overview = overviewOf(sbom);
  const blocks = [
    headOf(overview, { format, date: sbom.created.slice(0, 10), organisation: sbom.organisation }, screen),
    section(
      'What it needs',
      overview.tree.map((row) => rowOf(row, screen)),
      screen,
    ),
    section(
      'Copies inside',
      overview.contained.map((pkg) => packageLine(pkg, '', screen)),
      screen,
    ),
    section(
      'Listed, but needed by nothing',
      overview.loose.map((pkg) => packageLine(pkg, '', screen)),
      screen,
    ),
    section('Licences of third-party packages', licenceLines(overview, screen), screen),
    section('Not known', openLines(overview, screen), screen),
  ].filter((block) => block !== '');
  return [...blocks, verdictOf(overview, screen)].join('\n\n');
}

function headOf(
  { subjects, artifacts, commit }: SbomOverview,
  {
    format,
    date,
    organisation,
  }: { readonly format: string; readonly date: string; readonly organisation: string | null },
  { colours }: Screen,
): string {
  const about = [format, date, ...(organisation === null ? [] : [organisation])].map(cleanText).join(', ');
  const width = Math.max(0, ...artifacts.map(({ name }) => cleanText(name).length));
  const from = commit === null ? '' : `, from commit ${cleanText(commit.slice(0, 12))}`;
  return [
    ...subjects.map(
      (pkg) => `${colours.bold(cleanText(titleOf(pkg)))}  ${colours.dim(cleanText(pkg.licence ?? 'licence unknown'))}`,
    ),
    colours.dim(`${about}${from}`),
    ...artifacts.map(
      ({ name, files }) =>
        `  ${cleanText(name).padEnd(width)}  ${colours.dim(files === null ? 'files not listed' : counted(files.length, 'file'))}`,
    ),
  ].join('\n');
}

function section(title: string, lines: readonly string[], { colours }: Screen): string {
  return lines.length === 0 ? '' : [colours.bold(title), ...lines].join('\n');
}

function rowOf({ pkg, kind, depth, isAgain, isOwn }: OverviewRow, screen: Screen): string {
  const words = [
    ...(isOwn ? ['first-party'] : []),
    ...(kind === 'run' ? [] : [kind]),
    ...(isAgain ? ['its needs stand above'] : []),
  ];
  return `${'  '.repeat(Math.min(depth, deepest))}${packageLine(pkg, words.join(', '), screen)}`;
}

function packageLine(pkg: SbomPackage, words: string, { colours }: Screen): string {
  const title = pkg.version === null ? `${pkg.name} (version unknown)` : titleOf(pkg);
  const licence = cleanText((pkg.licence ?? 'licence unknown').split('\n')[0] ?? '');
  return `  ${cleanText(title)}  ${colours.dim(words === '' ? licence : `${licence}, ${words}`)}`;
}

/** The most frequent ones, with names where they are few. */
const mostLicences = 12;
const mostNames = 4;

function licenceLines({ licences }: SbomOverview, screen: Screen): string[] {
  const shown = licences.slice(0, mostLicences);
  const width = Math.max(0, ...shown.map(({ licence }) => licenceName(licence).length));
  const digits = String(Math.max(0, ...shown.map(({ names }) => names.length))).length;
  const lines = shown.map(({ licence, names }) =>
    beside(
      `  ${licenceName(licence).padEnd(width)}  ${String(names.length).padStart(digits)}  `,
      screen.colours.dim(namesOf(names)),
      screen,
    ),
  );
  const rest = licences.length - shown.length;
  return rest > 0 ? [...lines, `  and ${rest} more`] : lines;
}

function licenceName(licence: string | null): string {
  return cleanText((licence ?? 'unknown').split('\n')[0]?.slice(0, 40) ?? '');
}

function namesOf(names: readonly string[]): string {
  const first = names.slice(0, mostNames).map(cleanText).join(', ');
  return names.length > mostNames ? `${first} and ${names.length - mostNames} more` : first;
}

function openLines({ open, unknown }: SbomOverview, screen: Screen): string[] {
  const facts = open.map(({ what, why, names }) =>
    beside(`  ${what.padEnd(7)}  `, `of ${namesOf(names)}: ${cleanText(why)}`, screen),
  );
  const sentences = unknown.map((text) => beside(`${sign('warning', screen)} `, cleanText(text), screen));
  return [...facts, ...sentences];
}

function verdictOf({ firstParty, thirdParty, kinds, unknown }: SbomOverview, screen: Screen): string {
  const why = kinds.map(({ kind, count }) => `${count} ${kindWords[kind]}`).join(', ');
  const open = thirdParty.filter(({ licence }) => licence === null).length;
  const licences = open === 0 ? '' : `; ${counted(open, 'licence')} unknown`;
  const counts = `${counted(thirdParty.length, 'third-party package')}${why === '' ? '' : ` (${why})`}, ${firstParty.length} first-party${licences}`;
  return unknown.length === 0
    ? beside(`${sign('done', screen)} complete  `, counts, screen)
    : beside(
        `${sign('warning', screen)} incomplete  `,
        `${counts}; ${counted(unknown.length, 'thing')} could not be determined`,
        screen,
      );
}

const kindWords: Readonly<Record<SbomOverview['kinds'][number]['kind'], string>> = {
  run: 'to run',
  peer: 'brought by users',
  optional: 'optional',
  build: 'to build',
  development: 'to develop',
  contained: 'inside',
};

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
export function sbomViewJson({ file, kind, format, sbom, comparison, page }: SbomView): unknown {
  const { firstParty, licences, kinds, open } = overviewOf(sbom);
  const own = new Set(firstParty.map(({ id }) => id));
  const components = sbom.packages
    .filter(({ role }) => role === 'dependency')
    .map(({ id, name, version, purl, licence, supplier, digests, foundIn }) => ({
      name,
      version,
      purl,
      licence,
      supplier,
      digests,
      foundIn,
      party: own.has(id) ? 'first' : 'third',
    }));
  const subjects = sbom.subjects.flatMap((id) => sbom.packages.find((pkg) => pkg.id === id)?.name ?? []);
  const { unknown } = sbom;
  const complete = unknown.length === 0;
  const shown = { file, kind, format, subjects, components, licences, kinds, open, complete, unknown };
  return { ...shown, ...(page === null ? {} : { page }), ...(comparison ?? {}) };
}

function counted(count: number, what: string): string {
  return `${count} ${what}${count === 1 ? '' : 's'}`;
}
