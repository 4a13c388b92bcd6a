import { parseMessage } from './message-grammar.ts';

/** A pattern for `history.patterns`, and how many subjects it gives a kind. */
export type GuessedPattern = { readonly match: string; readonly kind: string; readonly count: number };

/** What the subjects of a history say about how it marks its changes. */
export type CommitHabit = {
  /** Share of the subjects that are headers of Conventional Commits, from 0 to 1. */
  readonly marked: number;
  readonly patterns: readonly GuessedPattern[];
  /** Share of the subjects that have a kind with these patterns. */
  readonly markedWithPatterns: number;
};

const fixWords = 'fix|fixes|fixed|fixing|bugfix|bugfixes|hotfix|bug';
const featWords = 'feat|feature|features|new|add|adds|added|adding|enhancement|enhance';

/** A convention: what a subject of it looks like, and the pattern for the words that a history uses. */
type Convention = {
  readonly kind: string;
  /** Its group `word` is what says the kind. */
  readonly looks: RegExp;
  readonly write: (words: string) => string;
};

/** The same for both kinds. */
function bothKinds(looks: (words: string) => RegExp, write: (words: string) => string): Convention[] {
  return [
    { kind: 'fix', looks: looks(fixWords), write },
    { kind: 'feat', looks: looks(featWords), write },
  ];
}

/**
 * Conventions that are found in the wild, in the order in which they are tried: the first that matches gives the kind. What
 * only says how large a change was, such as "major", is left to `amend`.
 */
const conventions: readonly Convention[] = [
  ...bothKinds(
    (words) => new RegExp(`^\\[(?<word>${words})\\]`, 'i'),
    (words) => `^\\[(?i:${words})\\]`,
  ),
  ...bothKinds(
    (words) => new RegExp(`^\\((?<word>${words})\\)`, 'i'),
    (words) => `^\\((?i:${words})\\)`,
  ),
  { kind: 'fix', looks: /^(?<word>:bug:|:ambulance:|\u{1F41B}|\u{1F691})/u, write: (words) => `^(?:${words})` },
  { kind: 'feat', looks: /^(?<word>:sparkles:|\u2728)/u, write: (words) => `^(?:${words})` },
  ...bothKinds(
    (words) => new RegExp(`^(?<word>${words}) ?(?:\\([^)]*\\))?[:/] `, 'i'),
    (words) => `^(?i:${words}) ?(?:\\([^)]*\\))?[:/] `,
  ),
  {
    kind: 'fix',
    looks: /^(?<word>Fix|Fixes|Fixed|Repair|Repaired|Correct|Corrected|Resolve|Resolved)\b/,
    write: (words) => `^(?:${words})\\b`,
  },
  {
    kind: 'feat',
    looks: /^(?<word>Add|Adds|Added|Implement|Implemented|Introduce|Introduced|Support)\b/,
    write: (words) => `^(?:${words})\\b`,
  },
  {
    kind: 'fix',
    looks: /\b(?<word>fix|fixes|fixed|close|closes|closed|resolve|resolves|resolved):? #[0-9]+/i,
    write: (words) => `\\b(?i:${words}):? #[0-9]+`,
  },
];

/** Fewer matches than this are chance. */
const minMatches = 2;

/**
 * Finds the conventions that a history without Conventional Commits follows.
 * @param subjects of the last commits, newest first.
 * @returns null for an empty history.
 */
export function guessPatterns(subjects: readonly string[]): CommitHabit | null {
  if (subjects.length === 0) return null;
  const open = subjects.filter((subject) => parseMessage(subject).header === null || isOtherKind(subject));
  const marked = (subjects.length - open.length) / subjects.length;
  let rest = open;
  const patterns = conventions.flatMap(({ kind, looks, write }): GuessedPattern[] => {
    const words = rest.flatMap((text) => looks.exec(text)?.groups?.['word'] ?? []);
    if (words.length < minMatches) return [];
    const distinct = [...new Set(words.map((word) => (looks.ignoreCase ? word.toLowerCase() : word)))];
    const match = write(distinct.sort().join('|'));
    rest = rest.filter((text) => !looks.test(text));
    return [{ match, kind, count: words.length }];
  });
  return { marked, patterns, markedWithPatterns: (subjects.length - rest.length) / subjects.length };
}

/** A header in form only: `Feature: x` parses, but its kind is no standard one. */
function isOtherKind(subject: string): boolean {
  const kind = parseMessage(subject).header?.kind.toLowerCase();
  return kind !== undefined && new RegExp(`^(?:${fixWords}|${featWords})$`).test(kind) && !/^(?:fix|feat)$/.test(kind);
}
