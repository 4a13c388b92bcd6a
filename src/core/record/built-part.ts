import { format, type ParsedRecord, parseRecord } from './parse-record.ts';
import { type Check, isCommit, isLine, isString, list, openObject, orNull } from './schema.ts';

/** A release as one machine built it, without its artifacts: the texts of its folder. */
export type BuiltTexts = {
  readonly release: string;
  readonly contents: string;
  readonly notes: string;
};

/** What one machine built of a commit for one platform, in a store. It is written when every file that it names is there. */
export type BuiltPart = {
  readonly commit: string;
  /** Null for what is for every platform. */
  readonly platform: string | null;
  /** The machine that built it, for people. */
  readonly by: string;
  readonly releases: readonly BuiltTexts[];
};

const schema = openObject({
  commit: isCommit,
  platform: orNull(isLine),
  by: isLine,
  releases: list(openObject({ release: isString as Check, contents: isString, notes: isString })),
});

/** Reads what a store has: whoever can write there can write anything. */
export function parseBuiltPart(text: string): ParsedRecord<BuiltPart> {
  return parseRecord<BuiltPart>(text, schema);
}

/** The text of a part. */
export function formatBuiltPart(part: BuiltPart): string {
  return `${JSON.stringify({ schema: format, ...part }, null, 2)}\n`;
}

/** Path of a part in a store. */
export function partPath(commit: string, platform: string | null): string {
  return `built/${commit}/${platform ?? 'any'}.json`;
}

/** Path of an artifact in a store: by its digest, so that two builders of the same bytes never meet. */
export function builtFilePath(commit: string, sha256: string): string {
  return `built/${commit}/files/${sha256}`;
}
