import type { DestinationConfig } from '../config/config.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import type { Form } from '../name/form.ts';
import type { Spellings } from '../version/spelling.ts';

// A layout says which files make a repository: where artifacts lie, what lies beside them, which indexes list them. It is
// pure; a store reads and writes the files. Paths are relative to the address of the repository, with `/` between parts.

/** A package at a version, as a layout names it. */
export type LayoutSubject = { readonly name: string; readonly version: string; readonly spellings: Spellings };

/** What must be known of an artifact to say where it lies. */
export type LayoutItem = LayoutSubject & { readonly fileName: string; readonly sha256: string };

/** An artifact that is about to be listed, with all that an index says of it. */
export type LayoutParcel = LayoutItem & {
  readonly form: Form;
  readonly platform: string | null;
  readonly sizeBytes: number;
  readonly sha1: string;
  readonly sha512: string;
  readonly stream: { readonly type: string; readonly pointer: string };
  /** The manifest inside: its fields, and its text; null where there is none. */
  readonly manifest: Readonly<Record<string, unknown>> | null;
  readonly manifestText: string | null;
  /** When its commit was made: seconds since 1970. */
  readonly sourceTime: number;
};

/** What a layout must know of the destination. */
export type LayoutView = {
  /** Name of the destination, for messages. */
  readonly destination: string;
  /** Where readers find the repository, with `/` behind. */
  readonly base: string;
  readonly config: Pick<DestinationConfig, 'snapshots' | 'access' | 'others-from'>;
  readonly now: Date;
};

/**
 * A file that is written as it is. `digest`: its text is a digest of the artifact, in hexadecimal. `make`: it is made only where
 * `isMade` does not know the text that is there for the one that would be made.
 */
export type LayoutFile = {
  readonly path: string;
  readonly content:
    | { readonly text: string }
    | { readonly digest: 'md5' | 'sha1' | 'sha256' | 'sha512' }
    | { readonly make: () => string; readonly isMade: (there: string) => boolean };
};

/** A change of an index that others may change too. */
export type IndexChange = {
  readonly path: string;
  /**
   * The new text, null to leave it as it is. It is called again with what others wrote meanwhile.
   * @throws DESTINATION_ANSWER for a text that is no such index: what cannot be read is not written over.
   */
  readonly change: (before: string | null) => string | null;
  /** Whether nothing is left for the index to say, so that it goes. */
  readonly isOver?: (text: string) => boolean;
  /** Files that are made of the new text and follow it. */
  readonly follow?: (text: string) => readonly LayoutFile[];
  /** The pointer that the change moves, and where it led before; null when it moves none. */
  readonly pointer?: (before: string | null) => { readonly pointer: string; readonly from: string | null } | null;
};

/** What an index says of one version. */
export type IndexedVersion = {
  /** As the ecosystem spells it. */
  readonly version: string;
  /** Paths of its files; null where the index does not name them, and the layout has a folder for the version. */
  readonly files: readonly string[] | null;
  /** Why it was taken back, '' without a reason; null for one that is offered. */
  readonly withdrawn: string | null;
};

/** How a release is taken back. */
export type TakeBack = {
  /** In the order in which they are written, before any file goes. */
  readonly changes: readonly IndexChange[];
  /** Files that are removed then. */
  readonly removes: readonly string[];
  readonly how: string;
  readonly limits: string | null;
};

/** The rules of one layout. */
export type Layout = {
  /** Whether addresses in its indexes are absolute, so that it must know where readers find it. */
  readonly needsBase: boolean;
  /** Path of the index that lists the versions of a package. @throws DESTINATION_REFUSED for a name that it cannot list. */
  readonly index: (subject: LayoutSubject, view: LayoutView) => string;
  /** The version as the index writes it. */
  readonly spelt: (subject: Pick<LayoutSubject, 'version' | 'spellings'>) => string;
  /** Reads that index; null when the text is none. */
  readonly read: (
    text: string,
    subject: Pick<LayoutSubject, 'name'>,
    view: LayoutView,
  ) => readonly IndexedVersion[] | null;
  /** The SemVer version that an indexed one stands for; null for one that stands for none. */
  readonly asVersion: (spelt: string) => string | null;
  /** Index whose text decides where files lie; null when none does. */
  readonly stateAt: (subject: LayoutSubject, view: LayoutView) => string | null;
  /** Where an artifact lies. @param state the text of that index. @throws DESTINATION_REFUSED */
  readonly place: (item: LayoutParcel | LayoutItem, view: LayoutView, state: string | null) => string;
  /** Folder that has the artifacts of a package and nothing of any other, with `/` behind. @throws DESTINATION_REFUSED */
  readonly home: (subject: LayoutSubject, view: LayoutView) => string;
  /** Files that belong to an artifact, written before it is listed. */
  readonly beside: (parcel: LayoutParcel, place: string, view: LayoutView) => readonly LayoutFile[];
  /** Changes that list a release, in the order in which they are written. @param places of the parcels, in their order. */
  readonly list: (
    parcels: readonly LayoutParcel[],
    places: readonly string[],
    view: LayoutView,
  ) => readonly IndexChange[];
  readonly takeBack: (
    subject: LayoutSubject,
    order: { readonly erase: boolean; readonly reason: string; readonly places: readonly string[] },
    view: LayoutView,
  ) => TakeBack;
  /** Changes that drop versions from the indexes, for good. */
  readonly drop: (subject: LayoutSubject, versions: ReadonlySet<string>, view: LayoutView) => readonly IndexChange[];
  /** Folder of a version whose files the index does not name, with `/` behind; null where it names them. */
  readonly folder: (subject: LayoutSubject, version: string) => string | null;
  /** Endings of the files beside each file of a version; one that begins with `~` takes the place of the file's own. */
  readonly besideEndings: readonly string[];
  /** Changes that make pointers lead to another release that is listed. */
  readonly fallBack: (subject: LayoutSubject, to: LayoutSubject, view: LayoutView) => readonly IndexChange[];
  /** Why a small text file may not be tried at the top, where a repository takes only paths of its layout: such a path. */
  readonly probePath: (name: string, subject: LayoutSubject, view: LayoutView) => string;
  /** Paths that a file refers to, which must be there before it is; null for a file that is no index of this layout. */
  readonly refersTo: (path: string, text: string) => readonly string[] | null;
};

/** What layouts have in common; each says what is different. */
export const plainLayout: Pick<
  Layout,
  'needsBase' | 'stateAt' | 'beside' | 'besideEndings' | 'folder' | 'fallBack' | 'probePath'
> = {
  needsBase: false,
  stateAt: () => null,
  beside: () => [],
  besideEndings: [],
  folder: () => null,
  fallBack: () => [],
  probePath: (name) => `${name}.txt`,
};

/** The error for an index that cannot be read. */
export function notAnIndex({ destination, base }: LayoutView, path: string, why: string): BevelstoneError {
  return new BevelstoneError('DESTINATION_ANSWER', {
    message: `${destination} did not answer as its protocol requires`,
    why: `${path} ${why}`,
    fix: `Check the address: ${base}`,
  });
}

/** The error for a version that is listed with other bytes. */
export function listedOtherwise({ destination }: LayoutView, { name, version }: LayoutSubject): BevelstoneError {
  return new BevelstoneError('DELIVERY_EXISTS', {
    message: `${destination} lists ${name} ${version} with another digest`,
    why: 'another build of this version was released there',
    fix: 'This version exists there already; release a higher one',
  });
}

/** The error for a release that a layout has no place for. */
export function noPlace(
  { destination }: LayoutView,
  { name, version }: LayoutSubject,
  { why, fix }: { readonly why: string; readonly fix: string },
): BevelstoneError {
  return new BevelstoneError('DESTINATION_REFUSED', {
    message: `${destination} does not accept ${name} ${version}`,
    why,
    fix,
  });
}

/** A part of a path that leads nowhere else: no separators, no dots alone, no control characters. */
export function isPlainPart(part: string): boolean {
  return part !== '' && !/^\.+$/.test(part) && !/[/\\\p{Cc}]/u.test(part);
}

/** Whether a path is that of a file below a folder, whose path ends with `/`. */
export function isBelow(folder: string, path: string): boolean {
  return path.startsWith(folder) && path.slice(folder.length).split('/').every(isPlainPart);
}

/**
 * The path of an address below a repository, decoded; null for one that leads out of it.
 * @param base address of the repository, with `/` behind. @param from address that a relative one is relative to.
 */
export function pathBelow(base: string, address: string, from = base): string | null {
  if (!URL.canParse(address, from)) return null;
  const url = new URL(address, from);
  const whole = `${url.protocol}//${url.host}${url.pathname}`;
  if (!whole.startsWith(base)) return null;
  try {
    const parts = whole.slice(base.length).split('/').map(decodeURIComponent);
    return parts.every(isPlainPart) ? parts.join('/') : null;
  } catch {
    return null;
  }
}
