import type { Form } from '../core/name/form.ts';
import type { Spellings } from '../core/version/spelling.ts';
import type { FileStamp } from '../world/file-stamp.ts';

/** What is delivered: one built file, with all that a protocol may want to say of it. */
export type Parcel = {
  /** Absolute path. */
  readonly file: string;
  readonly fileName: string;
  readonly form: Form;
  readonly platform: string | null;
  readonly sizeBytes: number;
  readonly sha1: string;
  readonly sha256: string;
  readonly sha512: string;
  readonly packageName: string;
  /** Name in the ecosystem's manifest. */
  readonly name: string;
  readonly version: string;
  readonly spellings: Spellings;
  readonly stream: { readonly name: string; readonly type: string; readonly pointer: string };
  /** The manifest inside and the readme, for protocols that show them; null when the form has none. */
  readonly manifest: Readonly<Record<string, unknown>> | null;
  /** The text of that manifest as it is in the file. */
  readonly manifestText: string | null;
  readonly readme: string | null;
  /** The commit that it was built from, and when that was made: seconds since 1970. */
  readonly commit: string;
  readonly sourceTime: number;
  /** What the file was when its SHA-256 was last checked. */
  readonly stamp: FileStamp;
};

/** What a destination has under a parcel's name and version. */
export type Presence =
  | { readonly type: 'absent' }
  | { readonly type: 'same'; readonly address: string }
  | { readonly type: 'different'; readonly why: string };

/** A package at a version, as a destination knows it. */
export type Subject = {
  readonly packageName: string;
  readonly name: string;
  readonly version: string;
  readonly spellings: Spellings;
};

/** What is asked of an index: a file of a release. */
export type ListedParcel = Pick<Parcel, keyof Subject | 'fileName' | 'sha256'>;

/** How a probe may ask. */
export type Asking = {
  /** Whether it may write something small and delete it again: `probe: write`, and never in a dry run. */
  readonly mayWrite: boolean;
  /** Whether it asks what else the credential may write to. */
  readonly lists: boolean;
};

/** What a destination lets us do. */
export type Access = {
  readonly credential: 'accepted' | 'refused' | 'none' | 'unknown';
  /** Who we are there, or why we may not. */
  readonly why: string | null;
  /** What could not be tested, such as `write permission`. */
  readonly untested: readonly string[];
  /** Name and version of the server, as it says; null when it does not. */
  readonly server: string | null;
  /** Repositories, buckets or packages there, where the server lists them to this credential. */
  readonly places: readonly string[];
  /** Whether the credential opens more than one package, where the protocol tells. */
  readonly opens: 'this package' | 'more' | 'unknown';
  /** How far its clock is ahead of ours, in milliseconds; null when it does not tell the time. */
  readonly skewMs: number | null;
};

/** Whether a name can be used and a version is still to be had. */
export type NameState = {
  readonly nameState: 'free' | 'ours' | 'taken' | 'unknown';
  readonly versionState: 'free' | 'there' | 'unknown';
  readonly why: string | null;
};
