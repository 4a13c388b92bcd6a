import type { Entry, Origin } from '../contents/entry.ts';
import { isInnerPath } from '../contents/safe-path.ts';
import { format, type ParsedRecord, parseRecord } from './parse-record.ts';
import { isCommit, isCount, isFlag, isOneOf, isSha256, isText, list, openObject, orNull, union } from './schema.ts';

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

const originShapes = {
  source: { path: isPath, commit: isCommit, stamped: isFlag },
  step: { path: isPath, step: isText },
  input: { path: isPath, input: isText },
  generated: {},
};

const contentsSchema = openObject({
  artifacts: list(
    openObject({
      file: isInnerPath,
      entries: list(
        openObject({
          path: isPath,
          type: isOneOf('file', 'folder', 'symlink', 'hardlink', 'special'),
          size: isCount,
          mode: (value) => typeof value === 'string' && /^[0-7]{4}$/.test(value),
          sha256: orNull(isSha256),
          origin: union(originShapes),
        }),
      ),
    }),
  ),
});

function isPath(value: unknown): boolean {
  return typeof value === 'string' && value !== '' && !value.includes('\0');
}

/** What a contents list says of the release that it is part of. */
export type ContentsHead = { readonly package: string; readonly version: string; readonly commit: string };

/** An artifact with all its entries, which are made one by one. */
export type ListedArtifact = {
  readonly file: string;
  readonly contentDigest: string;
  readonly entries: Iterable<ListedEntry>;
};

/** The text of `CONTENTS.json` in pieces: of a million entries it is longer than a text can be. */
export function* formatContentsList(head: ContentsHead, artifacts: readonly ListedArtifact[]): Generator<string> {
  yield* piecesOf({ schema: format, ...head }, 'artifacts', artifactPieces(artifacts));
  yield '\n';
}

function* artifactPieces(artifacts: readonly ListedArtifact[]): Generator<Iterable<string>> {
  for (const { entries, ...fields } of artifacts) yield piecesOf(fields, 'entries', entryPieces(entries));
}

function* entryPieces(entries: Iterable<ListedEntry>): Generator<Iterable<string>> {
  for (const entry of entries) yield [JSON.stringify(entry, null, 2)];
}

/** An object whose last field is a long list, as JSON.stringify with two spaces writes it. */
function* piecesOf(fields: object, name: string, items: Iterable<Iterable<string>>): Generator<string> {
  yield `${JSON.stringify(fields, null, 2).slice(0, -2)},\n  "${name}": [`;
  let isFirst = true;
  for (const pieces of items) {
    yield isFirst ? '\n    ' : ',\n    ';
    isFirst = false;
    for (const piece of pieces) yield piece.replaceAll('\n', '\n    ');
  }
  yield isFirst ? ']\n}' : '\n  ]\n}';
}

/** Reads a contents list. The caller compares its digest with the recorded one. */
export function parseContentsList(text: string): ParsedRecord<ContentsList> {
  return parseRecord<ContentsList>(text, contentsSchema);
}

/** Entries of an artifact in a contents list; null when it is not in it. */
export function entriesIn({ artifacts }: ContentsList, file: string): Entry[] | null {
  return artifacts.find((artifact) => artifact.file === file)?.entries.map(toEntry) ?? null;
}

function toEntry({ path, type, size, mode, sha256 }: ListedEntry): Entry {
  return { path, type, sizeBytes: size, mode: Number.parseInt(mode, 8), linkname: null, sha256 };
}
