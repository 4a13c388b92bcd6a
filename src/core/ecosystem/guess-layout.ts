import type { Ecosystem } from '../name/ecosystem.ts';
import { assignTags, type Tag } from '../version/tag-pattern.ts';
import { ecosystemDefinitions } from './definitions.ts';

/** A package that was found in a repository. */
export type FoundPackage = {
  readonly name: string;
  /** '' for the root. */
  readonly folder: string;
  readonly ecosystem: Ecosystem;
};

/** Patterns that tags are tried with, the most usual first. */
const tagPatterns = [
  '{package}/{version}',
  '{package}/v{version}',
  '{package}@{version}',
  '{package}-v{version}',
  '{package}-{version}',
  '{package}_{version}',
  'v{version}',
  '{version}',
  'release-{version}',
  'release/{version}',
  'version-{version}',
] as const;

/** The habit that tags follow, and the last version that it finds of each package. */
export type TagHabit = {
  readonly pattern: string;
  /** Last version by package; a package without one has no tag yet. */
  readonly last: ReadonlyMap<string, string>;
};

/**
 * The pattern that reads the most of the tags as versions; of equals the more usual one. With several packages only patterns
 * with the package's name tell them apart.
 */
export function guessTags(tags: readonly Tag[], packages: readonly FoundPackage[]): TagHabit | null {
  const usable = tagPatterns.filter((pattern) => packages.length === 1 || pattern.includes('{package}'));
  let best: { readonly habit: TagHabit; readonly count: number } | null = null;
  for (const pattern of usable) {
    const owners = packages.map(({ name, folder }) => ({ name, folder, tags: [pattern] }));
    const { byOwner } = assignTags(tags, owners);
    const count = byOwner.reduce((sum, own) => sum + own.length, 0);
    if (count <= (best?.count ?? 0)) continue;
    const last = new Map(
      byOwner.flatMap((own, index): [string, string][] => {
        const name = packages[index]?.name;
        const [highest] = own;
        return name === undefined || highest === undefined ? [] : [[name, highest.version]];
      }),
    );
    best = { habit: { pattern, last }, count };
  }
  return best?.habit ?? null;
}

/** Branches by what they seem to be for. */
export type BranchHabit = {
  readonly main: string;
  /** Pattern of maintained lines, with what of it is the range; null when there are none. */
  readonly lines: string | null;
  /** Branches of prereleases. */
  readonly early: readonly string[];
};

/** What branches seem to be for, by their names. @param current the branch that HEAD is on, null for none. */
export function guessBranches(branches: readonly string[], current: string | null): BranchHabit {
  const main = ['main', 'master', 'trunk'].find((name) => branches.includes(name)) ?? current ?? 'main';
  const line = branches.flatMap((name) => /^(.*[/-])?v?\d+(?:\.(?:\d+|x|\*))+$/.exec(name)?.[1] ?? [])[0];
  const early = branches.filter((name) => /^(alpha|beta|early|next|rc|preview)$/.test(name));
  return { main, lines: line === undefined ? null : `${line}*`, early };
}

/** Everything that the file is written from. */
export type LayoutGuess = {
  readonly packages: readonly FoundPackage[];
  readonly tags: TagHabit | null;
  readonly branches: BranchHabit;
  /** Name of the changelog file where it is not the usual one. */
  readonly changelog: string | null;
  /** Share of commits whose message says its kind, from 0 to 1; null without commits. */
  readonly marked: number | null;
};

/** A commented bevelstone.yaml that says what was found, and shows where the rest goes. */
export function writeLayout({ packages, tags, branches, changelog, marked }: LayoutGuess): string {
  const usual = packages.length === 1 ? 'v{version}' : '{package}/{version}';
  const habit = tags?.pattern ?? usual;
  const lines = [
    // Written by `init` and `config check`; an editor that does not find it goes without.
    '# yaml-language-server: $schema=.git/bevelstone/schema.json',
    '# What is released from this repository, and how. Every key: docs/configuration.md, or: bevelstone config schema',
    'schema: 1',
    '# supplier: Fenmarsh Tide Office        # the organisation in metadata and SBOMs',
    '',
    'history:',
    tags === null
      ? `  tag: ${quote(habit)}            # no version was tagged yet, so this is the usual pattern`
      : `  tag: ${quote(habit)}            # what the tags here follow`,
    '  first: 0.1.0                        # version of a first release',
    ...(marked !== null && marked < 0.5
      ? [
          `  unmarked: patch                     # only ${Math.round(marked * 100)} % of the commits say their kind, such as "fix: …"; or: none, refuse`,
        ]
      : []),
    '',
    'streams:                              # the first whose `from` matches the branch is used',
    `  stable: { from: ${quote(branches.main)} }`,
    branches.lines === null
      ? '  # maintained: { from: "line/*", only: "{1}" }      # line/1.x releases 1.* beside a newer major'
      : `  maintained: { from: ${quote(branches.lines)}, only: "{1}" }`,
    ...branches.early.map(
      (name) =>
        `  ${name}: { from: ${name}, identifier: ${name}, spell: ${spellingOf(name)} }      # 2.0.0-${name}.1, .2 …`,
    ),
    '  preview: { from: "*", preview: true }     # every other branch: preview versions, never released',
    '',
    ...(changelog === null ? [] : ['write-back:', `  changelog: ${quote(changelog)}`, '']),
    'gates:',
    '  # run: [npm ci, npm test]           # in a fresh checkout, before anything is built',
    '',
    'packages:',
    ...packages.flatMap(writePackage),
    '',
    '# Where releases go. Credentials are named, never written here.',
    '# destinations:',
    '#   office:',
    '#     speaks: npm-registry            # python-index, maven-layout, nuget-v3, http-put, s3, oci, folder',
    '#     url: https://packages.fenmarsh.example/',
    '#     credential: env:OFFICE_TOKEN',
    '',
  ];
  return lines.join('\n').replace('gates:\n  # run', '# gates:\n#   run');
}

function writePackage({ name, folder, ecosystem }: FoundPackage): string[] {
  return [
    `  ${quote(name)}:`,
    `    folder: ${quote(folder === '' ? '.' : folder)}`,
    `    ecosystem: ${ecosystem}`,
    '    # build: [npm run build]          # commands, in a fresh checkout',
    '    artifacts:',
    ...ecosystemDefinitions[ecosystem].usualForms.map((form) => `      - form: ${form}`),
    '    # send-to: [office]',
  ];
}

function spellingOf(name: string): string {
  return ['alpha', 'beta', 'rc'].includes(name) ? name : name === 'next' || name === 'preview' ? 'beta' : 'alpha';
}

/** As YAML takes it: quoted wherever plain text could be something else. */
function quote(text: string): string {
  return /^[A-Za-z][\w.-]*$/.test(text) && !/^(?:yes|no|on|off|true|false|null)$/i.test(text)
    ? text
    : JSON.stringify(text);
}
