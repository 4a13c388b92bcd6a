import { format, type ParsedRecord, parseRecord } from './parse-record.ts';
import { isCommit, isFlag, isSha256, isText, list, openObject } from './schema.ts';

/** A patch of an edit. */
export type EditedPatch = {
  readonly file: string;
  readonly commit: string;
  /** Whether its file gives this commit; false where its changes were made by hand. */
  readonly applies: boolean;
};

/** What an edit of the patched sources of an input began with. */
export type EditState = {
  readonly package: string;
  readonly input: string;
  readonly sha256: string;
  /** Patches that were committed as they were, by path inside the package's folder. */
  readonly patches: readonly EditedPatch[];
  /** The patch that did not apply and whose rest is being made by hand; null for none. */
  readonly open: string | null;
};

const schema = openObject({
  package: isText,
  input: isText,
  sha256: isSha256,
  patches: list(openObject({ file: isText, commit: isCommit, applies: isFlag })),
  open: (value) => value === null || isText(value),
});

/** Reads the state of an edit. */
export function parseEditState(text: string): ParsedRecord<EditState> {
  return parseRecord<EditState>(text, schema);
}

/** The text of the state. */
export function formatEditState(state: EditState): string {
  return `${JSON.stringify({ schema: format, ...state }, null, 2)}\n`;
}
