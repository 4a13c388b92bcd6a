import type { Access, Parcel, Presence } from './parcel.ts';

/** A text with the tag that a server gave it, for conditional writing; both null when there is none. */
export type TaggedText = { readonly text: string | null; readonly tag: string | null };

/** What a store did with an index that others may write too. */
export type Written =
  | 'written'
  /** Somebody else was quicker: nothing was written. */
  | 'changed-meanwhile'
  /** Written without a condition, which the store does not know: what is there now must be looked at. */
  | 'unconditional';

/** A question of a probe. */
export type StoreProbe = {
  /** A file of the layout that may or may not be there. */
  readonly known: string;
  /** Why the text of that file shows that this is not the layout; null when it does not. */
  readonly whyStrange: (text: string) => string | null;
  /** The path that a file of this name may be tried at. */
  readonly fileFor: (name: string) => string;
  readonly mayWrite: boolean;
  readonly lists: boolean;
};

/**
 * A place that keeps files by their paths, `/` between parts. Every method throws BevelstoneErrors with exit code 5 for what
 * the other end says, and none leaves a half-written file.
 */
export type Store = {
  /** Where it is, for people. */
  readonly url: string;
  /** Where readers find its files when the configuration does not say, with `/` behind. */
  readonly readerBase: string;
  /** Whether an index of a folder must be kept under the folder's own path too, since nothing else serves it there. */
  readonly needsFolderPages: boolean;
  readonly addressOf: (path: string) => string;
  /** The path at an address of this store. @throws ORIGIN_UNTRUSTED, PATH_OUTSIDE for any other address. */
  readonly pathAt: (address: string) => string;
  /** What lies at a path, compared with a parcel by its bytes. */
  readonly presence: (path: string, parcel: Pick<Parcel, 'sha256' | 'sizeBytes'>) => Promise<Presence>;
  /** Sends a parcel to a path that must be free. */
  readonly send: (path: string, parcel: Parcel, moved: (bytes: number) => void) => Promise<void>;
  /** What lies at an address, as it comes. */
  readonly open: (address: string) => Promise<AsyncIterable<Uint8Array>>;
  /** A small text with its tag; both null when there is none. */
  readonly read: (path: string) => Promise<TaggedText>;
  /** Writes a small text on the condition that what is there is what was read before. */
  readonly write: (path: string, text: string, before: TaggedText) => Promise<Written>;
  /** Writes a small text unless it is there already; for files that always have the same text. */
  readonly ensure: (path: string, text: string) => Promise<void>;
  /** Removes a file; it need not be there. @throws WITHDRAW_IMPOSSIBLE where the store does not do that. */
  readonly remove: (path: string) => Promise<void>;
  /** Names of the files in a folder, whose path ends with `/`; null where the store does not list. */
  readonly list: (folder: string) => Promise<readonly string[] | null>;
  /** Runs work that changes indexes as one piece of work, which never begins another one. */
  readonly together: <Value>(work: () => Promise<Value>) => Promise<Value>;
  /** Whether no other publisher can change an index now. */
  readonly isAlone: () => boolean;
  readonly access: (probe: StoreProbe) => Promise<Access>;
};
