import type { CommitHabit } from '../history/guess-patterns.ts';
import { defaultTagPattern, formatTagPatterns, type TagPattern } from '../version/tag-pattern.ts';
import { ecosystemDefinitions } from './definitions.ts';
import type { FoundPackage } from './found-package.ts';
import type { TagHabit } from './guess-tags.ts';

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
  /** How commits are marked; null without commits. */
  readonly commits: CommitHabit | null;
};

/** A commented bevelstone.yaml that says what was found, and shows where the rest goes. */
export function writeLayout({ packages, tags, branches, changelog, commits }: LayoutGuess): string {
  const shared = commonPatterns(packages, tags);
  const lines = [
    // Written by `init` and `config check`; an editor that does not find it goes without.
    '# yaml-language-server: $schema=.git/bevelstone/schema.json',
    '# What is released from this repository, and how. Every key: docs/configuration.md, or: bevelstone config schema',
    'schema: 1',
    '# supplier: Fenmarsh Tide Office        # the organisation in metadata and SBOMs',
    '',
    'history:',
    ...tagLines(shared, tags),
    '  first: 0.1.0                        # version of a first release',
    ...commitLines(commits),
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
    ...packages.flatMap((pkg, index) => writePackage(pkg, ownPatterns(tags?.patterns[index] ?? [], shared))),
    ...(tags?.isShared === true
      ? [
          '',
          `together: { all: [${packages.map(({ name }) => quote(name)).join(', ')}] }     # one version for all, as their tags have it`,
        ]
      : []),
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

/** The patterns that all packages have; those of most packages where they differ. */
function commonPatterns(packages: readonly FoundPackage[], tags: TagHabit | null): readonly TagPattern[] {
  if (tags === null) return [defaultTagPattern(packages.length)];
  const texts = tags.patterns.map(formatTagPatterns);
  const count = (text: string) => texts.filter((other) => other === text).length;
  const most = texts.toSorted((a, b) => count(b) - count(a))[0];
  return tags.patterns[texts.indexOf(most ?? '')] ?? [defaultTagPattern(packages.length)];
}

function ownPatterns(own: readonly TagPattern[], shared: readonly TagPattern[]): readonly TagPattern[] {
  return own.length === 0 || formatTagPatterns(own) === formatTagPatterns(shared) ? [] : own;
}

function tagLines(shared: readonly TagPattern[], tags: TagHabit | null): string[] {
  const why =
    tags === null
      ? 'no version was tagged yet, so this is the usual pattern'
      : shared.length === 1
        ? 'as the tags here are written'
        : 'the first is written, all are read; it is the one of the newest tag';
  const unread = tags?.unread ?? [];
  const named = `${unread.slice(0, 5).join(', ')}${unread.length > 5 ? ` and ${unread.length - 5} more` : ''}`;
  return [
    `  tag: ${formatTagPatterns(shared)}            # ${why}`,
    ...(unread.length === 0 ? [] : [`  # these tags look like versions and are not read: ${named}`]),
  ];
}

function commitLines(commits: CommitHabit | null): string[] {
  if (commits === null || commits.marked >= 0.8) return [];
  const { marked, patterns, markedWithPatterns } = commits;
  const percent = (share: number) => `${Math.round(share * 100)} %`;
  return [
    ...(patterns.length === 0
      ? []
      : [
          '  patterns:                           # what commit subjects here look like; found in the last 200',
          ...patterns.map(
            ({ match, kind, count }) =>
              `    - { match: ${JSON.stringify(match)}, kind: ${kind} }      # ${count} ${count === 1 ? 'commit' : 'commits'}`,
          ),
        ]),
    `  unmarked: patch                     # ${percent(marked)} of the commits say their kind, such as "fix: …"${patterns.length === 0 ? '' : `, ${percent(markedWithPatterns)} with these patterns`}; or: none, refuse`,
  ];
}

function writePackage({ name, folder, ecosystem }: FoundPackage, tags: readonly TagPattern[]): string[] {
  return [
    `  ${quote(name)}:`,
    `    folder: ${quote(folder === '' ? '.' : folder)}`,
    `    ecosystem: ${ecosystem}`,
    ...(tags.length === 0 ? [] : [`    tag: ${formatTagPatterns(tags)}`]),
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
