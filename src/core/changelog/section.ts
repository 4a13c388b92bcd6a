import type { Change } from '../history/change.ts';
import type { Person } from '../history/commit.ts';

/** One line of release notes. All texts are untrusted until they are rendered. */
export type NoteItem = {
  readonly summary: string;
  readonly scope: string | null;
  readonly commit: string;
  /** What breaks, in full; null when nothing does. */
  readonly breaking: string | null;
  readonly issues: readonly string[];
};

/**
 * The text of an item, and what stands in parentheses behind it: scope and issues. Issues in parentheses at the end of the
 * summary are among them; those that it mentions elsewhere stay where they are.
 */
export function splitItem({ summary, scope, issues }: NoteItem): { readonly text: string; readonly details: string[] } {
  const [, text = summary, own = ''] = /^(.*\S)\s*\((#\d+(?:,? #\d+)*)\)$/s.exec(summary) ?? [];
  const trailing = own.match(/#\d+/g) ?? [];
  const others = issues.map((issue) => `#${issue}`).filter((issue) => !new RegExp(`${issue}\\b`).test(summary));
  return { text, details: [...(scope === null ? [] : [scope]), ...trailing, ...others] };
}

/** Items under one title. */
export type NoteSection = { readonly title: string; readonly items: readonly NoteItem[] };

/** The notes of one release, before they are written in any format. */
export type ReleaseNotes = {
  readonly package: string;
  /** Null for a range that is not a release. */
  readonly version: string | null;
  /** What stands in the heading instead of a version. */
  readonly range: string;
  /** ISO 8601 date. */
  readonly date: string;
  /** The maintainer's own words, as Markdown; null without any. */
  readonly intro: string | null;
  readonly sections: readonly NoteSection[];
  /** Empty unless asked for. */
  readonly contributors: readonly string[];
  /** SBOMs of a release on record. */
  readonly sboms?: readonly { readonly file: string; readonly sha256: string }[];
};

/** An item on one line: `The light vessel (stations, #12)`. */
export function itemText(item: NoteItem): string {
  const { text, details } = splitItem(item);
  return details.length === 0 ? text : `${text} (${details.join(', ')})`;
}

/** Titles by kind, in the order in which they are shown; kinds of one title share a section. */
export type SectionTitles = Readonly<Record<string, string>>;

const breakingTitle = 'Breaking';
const otherTitle = 'Other';

/**
 * Sorts changes into sections: what breaks first, then by title; what weighs something and has no title comes last.
 * @param follows reasons of a release that no commit of the package gives, such as a dependency's new version.
 */
export function sectionsOf(
  changes: readonly Change[],
  titles: SectionTitles,
  follows: readonly string[],
): NoteSection[] {
  const byTitle = new Map<string, NoteItem[]>(
    [breakingTitle, ...Object.values(titles), otherTitle].map((title) => [title, []]),
  );
  for (const { item, counted, commit, references } of changes) {
    if (!counted) continue;
    const { kind, scope, summary, breaking, weight } = item;
    const title = breaking !== null ? breakingTitle : (titles[kind ?? ''] ?? (weight === 'none' ? null : otherTitle));
    if (title === null) continue;
    byTitle.get(title)?.push({ summary, scope, commit, breaking, issues: references.issues });
  }
  for (const summary of follows)
    byTitle.get(otherTitle)?.push({ summary, scope: null, commit: '', breaking: null, issues: [] });
  return [...byTitle].filter(([, items]) => items.length > 0).map(([title, items]) => ({ title, items }));
}

/** Everyone who wrote a counted change, each once, in the order of their first. */
export function contributorsOf(changes: readonly Change[]): string[] {
  const people = changes
    .filter(({ counted }) => counted)
    .flatMap(({ author, references }): Person[] => [author, ...references.coAuthors]);
  return [...new Set(people.map(({ name }) => name))];
}
