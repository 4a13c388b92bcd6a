import type { Entry, Origin } from '../contents/entry.ts';

/** One entry of an artifact as a contents list has it. */
export type ListedEntry = {
  readonly path: string;
  readonly type: Entry['type'];
  readonly size: number;
  readonly mode: string;
  readonly sha256: string | null;
  readonly origin: Origin;
};

/** `CONTENTS.json`: the entries of each artifact of a release. */
export type ContentsList = {
  readonly artifacts: readonly { readonly file: string; readonly entries: readonly ListedEntry[] }[];
};

/** Reads a contents list. The caller compares its digest with the recorded one. */
export function parseContentsList(text: string): ContentsList {
  return JSON.parse(text) as ContentsList;
}

/** Entries of an artifact in a contents list; null when it is not in it. */
export function entriesIn({ artifacts }: ContentsList, file: string): Entry[] | null {
  return artifacts.find((artifact) => artifact.file === file)?.entries.map(toEntry) ?? null;
}

function toEntry({ path, type, size, mode, sha256 }: ListedEntry): Entry {
  return { path, type, sizeBytes: size, mode: Number.parseInt(mode, 8), linkname: null, sha256 };
}
