import type { PackageJson } from '../core/manifest/package-json.ts';

/** What is delivered: one built file, with all that a protocol may want to say of it. */
export type Parcel = {
  /** Absolute path. */
  readonly file: string;
  readonly fileName: string;
  readonly form: string;
  readonly sizeBytes: number;
  readonly sha1: string;
  readonly sha256: string;
  readonly sha512: string;
  readonly packageName: string;
  /** Name in the ecosystem's manifest. */
  readonly name: string;
  readonly version: string;
  readonly stream: { readonly name: string; readonly type: string; readonly pointer: string };
  /** The manifest inside and the readme, for protocols that show them; null when the form has none. */
  readonly manifest: PackageJson | null;
  readonly readme: string | null;
};

/** What a destination has under a parcel's name and version. */
export type Presence =
  | { readonly type: 'absent' }
  | { readonly type: 'same'; readonly address: string }
  | { readonly type: 'different'; readonly why: string };

/** Whether what came back is what was sent. */
export type Confirmation = { readonly confirmed: 'bytes' | 'no'; readonly why: string | null };

/** A pointer after it was seen to: its name, and where it pointed before. */
export type Pointed = { readonly pointer: string; readonly from: string | null; readonly moved: boolean };

/** A place that takes artifacts, through one protocol. All methods throw BevelstoneErrors with exit code 5. */
export type Destination = {
  readonly name: string;
  readonly speaks: string;
  /** Where it is, for people. */
  readonly url: string;
  /** Asks what is there; never changes anything. */
  readonly find: (parcel: Parcel) => Promise<Presence>;
  /** Sends it, after `find` said absent. @returns its address. */
  readonly deliver: (parcel: Parcel) => Promise<string>;
  /** Fetches it back and compares. */
  readonly confirm: (parcel: Parcel, address: string) => Promise<Confirmation>;
  /** Sees to the pointer that should lead to it; null where the protocol has none. */
  readonly point: (parcel: Parcel) => Promise<Pointed | null>;
};
