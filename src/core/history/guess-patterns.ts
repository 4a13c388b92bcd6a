import { compilePattern } from '../text/linear-pattern.ts';
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

/**
 * Conventions that are found in the wild, in the order in which they are tried: the first that matches gives the kind. What
 * only says how large a change was, such as "major", is left to `amend`.
 */
const conventions: readonly { readonly match: string; readonly kind: string }[] = [
  { match: `^[\\[(<](?i:${fixWords})[\\])>]`, kind: 'fix' },
  { match: `^[\\[(<](?i:${featWords})[\\])>]`, kind: 'feat' },
  { match: `^(?::bug:|:ambulance:|\u{1F41B}|\u{1F691})`, kind: 'fix' },
  { match: '^(?::sparkles:|\u2728)', kind: 'feat' },
  { match: `^(?i:${fixWords}) ?(?:\\([^)]*\\))?[:/] `, kind: 'fix' },
  { match: `^(?i:${featWords}) ?(?:\\([^)]*\\))?[:/] `, kind: 'feat' },
  { match: '^(?:Fix|Fixes|Fixed|Repair|Repaired|Correct|Corrected|Resolve|Resolved)\\b', kind: 'fix' },
  { match: '^(?:Add|Adds|Added|Implement|Implemented|Introduce|Introduced|Support)\\b', kind: 'feat' },
  { match: '(?i:\\b(?:fix|fixes|fixed|close|closes|closed|resolve|resolves|resolved):? #[0-9]+)', kind: 'fix' },
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
  const patterns = conventions.flatMap(({ match, kind }): GuessedPattern[] => {
    const pattern = compilePattern(match);
    const [hit, missed] = [rest.filter((text) => pattern.test(text)), rest.filter((text) => !pattern.test(text))];
    if (hit.length < minMatches) return [];
    rest = missed;
    return [{ match, kind, count: hit.length }];
  });
  return { marked, patterns, markedWithPatterns: (subjects.length - rest.length) / subjects.length };
}

/** A header in form only: `Feature: x` parses, but its kind is no standard one. */
function isOtherKind(subject: string): boolean {
  const kind = parseMessage(subject).header?.kind.toLowerCase();
  return kind !== undefined && new RegExp(`^(?:${fixWords}|${featWords})$`).test(kind) && !/^(?:fix|feat)$/.test(kind);
}
