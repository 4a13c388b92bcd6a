import type { CommitHabit } from '../history/guess-patterns.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import { defaultTagPattern, formatTagPatterns, type TagPattern } from '../version/tag-pattern.ts';
import { ecosystemDefinitions } from './definitions.ts';
import type { FoundPackage } from './found-package.ts';
import type { TagHabit } from './guess-tags.ts';
import { usualTagPattern } from './package-tags.ts';
import type { Proposal } from './proposal.ts';

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

/** A package with what is proposed for it. */
export type ProposedPackage = FoundPackage & { readonly proposal: Proposal };

/** Where a person says that releases go. */
export type ChosenDestination = { readonly url: string; readonly variable: string | null };

/** Everything that the file is written from. */
export type LayoutGuess = {
  readonly packages: readonly ProposedPackage[];
  readonly tags: TagHabit | null;
  readonly branches: BranchHabit;
  /** Name of the changelog file where it is not the usual one. */
  readonly changelog: string | null;
  /** How commits are marked; null without commits. */
  readonly commits: CommitHabit | null;
  readonly unmarked: 'none' | 'patch' | 'refuse';
  /** Packages that take their version from one place, by name. */
  readonly together: readonly (readonly string[])[];
  /** Null to show an example. */
  readonly destination: ChosenDestination | null;
};

/** A commented bevelstone.yaml that says what was found, and shows where the rest goes. */
export function writeLayout(guess: LayoutGuess): string {
  const { packages, tags, branches, changelog, commits, unmarked, together } = guess;
  const patterns = tags?.patterns ?? packages.map((pkg) => [usualTagPattern(pkg, packages.length)]);
  const shared = commonPatterns(patterns);
  const groups = [...(tags?.isShared === true ? [packages.map(({ name }) => name)] : together)];
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
    ...commitLines(commits, unmarked),
    '',
    ...streamLines(branches),
    '',
    ...(changelog === null ? [] : ['write-back:', `  changelog: ${quote(changelog)}`, '']),
    '# gates:',
    withComment(`#   run: [${gateExample(packages)}]`, 'in a fresh checkout, before anything is built'),
    '',
    'packages:',
    ...packages.flatMap((pkg, index) =>
      writePackage(pkg, ownPatterns(patterns[index] ?? [], shared), {
        name: sendTo(pkg, packages),
        isChosen: guess.destination !== null,
      }),
    ),
    '',
    ...groups.flatMap((names, index) => [
      ...(index === 0 ? ['together:                             # one version for all of a group'] : []),
      `  ${groups.length === 1 ? 'all' : `group-${index + 1}`}: [${names.map(quote).join(', ')}]`,
    ]),
    ...(groups.length === 0 ? [] : ['']),
    ...destinationLines(packages, guess.destination),
    '',
  ];
  return lines.join('\n');
}

function streamLines(branches: BranchHabit): string[] {
  return [
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
  ];
}

function gateExample(packages: readonly FoundPackage[]): string {
  return [...new Set(packages.map(({ ecosystem }) => ecosystemDefinitions[ecosystem].usualTest))].join(', ');
}

/** One destination for each ecosystem that is there: those of a person, or examples. */
function destinationLines(packages: readonly FoundPackage[], chosen: ChosenDestination | null): string[] {
  const ecosystems = [...new Set(packages.map(({ ecosystem }) => ecosystem))];
  const names = new Map(ecosystems.map((ecosystem) => [destinationName(ecosystem, ecosystems), ecosystem]));
  const mark = chosen === null ? '# ' : '';
  return [
    '# Where releases go. Credentials are named, never written here.',
    `${mark}destinations:`,
    ...[...names].flatMap(([name, ecosystem]) => {
      const { speaks, path } = ecosystemDefinitions[ecosystem].usualDestination;
      const credential =
        chosen === null ? 'env:OFFICE_TOKEN' : chosen.variable === null ? 'none' : `env:${chosen.variable}`;
      return [
        `${mark}  ${name}:`,
        `${mark}    speaks: ${speaks}`,
        `${mark}    url: ${chosen === null ? `https://packages.fenmarsh.example/${path}` : quote(chosen.url)}`,
        `${mark}    credential: ${credential}`,
      ];
    }),
  ];
}

function sendTo({ ecosystem }: FoundPackage, packages: readonly FoundPackage[]): string {
  return destinationName(ecosystem, [...new Set(packages.map((pkg) => pkg.ecosystem))]);
}

function destinationName(ecosystem: Ecosystem, all: readonly Ecosystem[]): string {
  return all.length === 1 ? 'office' : `office-${ecosystem}`;
}

type LayoutPatterns = TagHabit['patterns'];

/** The patterns that all packages have; those of most packages where they differ. */
function commonPatterns(patterns: LayoutPatterns): readonly TagPattern[] {
  const texts = patterns.map(formatTagPatterns);
  const count = (text: string) => texts.filter((other) => other === text).length;
  const most = texts.toSorted((a, b) => count(b) - count(a))[0];
  return patterns[texts.indexOf(most ?? '')] ?? [defaultTagPattern(patterns.length)];
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
    withComment(`  tag: ${formatTagPatterns(shared)}`, why),
    ...(unread.length === 0 ? [] : [`  # these tags look like versions and are not read: ${named}`]),
  ];
}

function commitLines(commits: CommitHabit | null, unmarked: string): string[] {
  if (commits === null || commits.marked >= 0.8) return [];
  const { marked, patterns, markedWithPatterns } = commits;
  const percent = (share: number) => `${Math.round(share * 100)} %`;
  const found = patterns.map(({ match, kind, count }) =>
    withComment(
      `    - { match: ${JSON.stringify(match)}, kind: ${kind} }`,
      `${count} ${count === 1 ? 'commit' : 'commits'}`,
    ),
  );
  const share =
    patterns.length === 0
      ? percent(marked)
      : `${percent(markedWithPatterns)} of the commits say their kind with these patterns`;
  return [
    ...(found.length === 0
      ? []
      : [withComment('  patterns:', 'what the last 200 commit subjects look like'), ...found]),
    withComment(
      `  unmarked: ${unmarked}`,
      patterns.length === 0
        ? `${share} of the commits say their kind, as "fix: …" does; or: none, refuse`
        : `${share}; or: none, refuse`,
    ),
  ];
}

/** A line with its comment in one column, where it is not longer. */
function withComment(line: string, comment: string): string {
  return `${line.padEnd(37)} # ${comment}`;
}

function writePackage(
  { name, folder, ecosystem, proposal }: ProposedPackage,
  tags: readonly TagPattern[],
  destination: { readonly name: string; readonly isChosen: boolean },
): string[] {
  const { tools, build, platforms, artifacts, notes } = proposal;
  return [
    `  ${quote(name)}:`,
    `    folder: ${quote(folder === '' ? '.' : folder)}`,
    `    ecosystem: ${ecosystem}`,
    ...[...ecosystemDefinitions[ecosystem].limits, ...notes].map((note) => `    # ${note}`),
    ...(tags.length === 0 ? [] : [`    tag: ${formatTagPatterns(tags)}`]),
    ...(tools.length === 0 ? [] : [`    tools: [${tools.map(quote).join(', ')}]`]),
    ...(platforms.length === 0 ? [] : [`    platforms: [${platforms.join(', ')}]`]),
    ...(build.length === 0
      ? [withComment('    # build: []', 'commands, in a fresh checkout; nothing here seems to need any')]
      : ['    build:', ...build.map(({ run, why }) => withComment(`      - ${quote(run)}`, why))]),
    '    artifacts:',
    ...artifacts.map((artifact) => `      - ${artifact}`),
    !destination.isChosen
      ? withComment(
          `    # send-to: [${quote(destination.name)}]`,
          'needed for a release; or [] for only a tag and a record',
        )
      : `    send-to: [${quote(destination.name)}]`,
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
