import type { Person } from './commit.ts';
import { footerValues, type Message } from './message-grammar.ts';

/** What a message says of other commits, issues and people. */
export type References = {
  readonly pickedFrom: readonly string[];
  readonly reverts: readonly Reverted[];
  readonly releases: readonly string[];
  readonly issues: readonly string[];
  readonly coAuthors: readonly Person[];
};

/** A commit that is taken back; of a merge also the parent whose side stays. */
export type Reverted = { readonly commit: string; readonly keeps: string | null };

/** Of a message that refers to nothing. */
export const noReferences: References = { pickedFrom: [], reverts: [], releases: [], issues: [], coAuthors: [] };

/** Reads the references of a message (docs/design/versions.md, steps 8, 11 and 12). Ids are lower case, maybe short. */
export function parseReferences(text: string, message: Message): References {
  const hasId = /cherry picked from commit|This reverts commit/i.test(text) || message.header?.kind === 'revert';
  // Most messages refer to nothing; they share one answer.
  if (!hasId && message.footers.length === 0 && !text.includes('#')) return noReferences;
  return {
    pickedFrom: [...text.matchAll(/^\(cherry picked from commit ([0-9a-f]{7,64})\)/gim)].map(([, id = '']) =>
      id.toLowerCase(),
    ),
    reverts: revertedBy(text, message),
    releases: footerValues(message.footers, 'Bevelstone-Release').filter((value) => value.includes('@')),
    issues: issuesOf(message),
    coAuthors: footerValues(message.footers, 'Co-authored-by').flatMap(parsePerson),
  };
}

function revertedBy(text: string, message: Message): Reverted[] {
  // git writes the second half of a merge's revert on the next line when the first is long.
  const pattern = /This reverts commit ([0-9a-f]{7,64})(?:,\s+reversing\s+changes\s+made\s+to\s+([0-9a-f]{7,64}))?/gi;
  const named = [...text.matchAll(pattern)].map(([, commit = '', keeps]) => ({
    commit: commit.toLowerCase(),
    keeps: keeps?.toLowerCase() ?? null,
  }));
  if (named.length > 0 || message.header?.kind !== 'revert') return named;
  return footerValues(message.footers, 'Refs')
    .flatMap((value) => value.match(/\b[0-9a-f]{7,64}\b/gi) ?? [])
    .map((commit) => ({ commit: commit.toLowerCase(), keeps: null }));
}

function issuesOf(message: Message): string[] {
  const places = [message.subject, ...message.footers.map(({ token, value }) => `${token} ${value}`), ...message.body];
  const numbers = places.flatMap((text) =>
    [...text.matchAll(/(?:^|[\s([,])#(\d{1,9})\b/g)].map(([, number = '']) => number),
  );
  return [...new Set(numbers)];
}

function parsePerson(text: string): Person[] {
  const match = /^(.*?)\s*<([^<>]*)>/.exec(text.replaceAll('\n', ' '));
  return match === null ? [] : [{ name: match[1] ?? '', email: match[2] ?? '' }];
}
