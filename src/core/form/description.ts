import type { BinaryKind } from '../contents/binary.ts';
import type { Entry } from '../contents/entry.ts';
import type { PackageManifest } from '../manifest/package-manifest.ts';
import type { Form } from '../name/form.ts';

/** What was read of an artifact, before its form is known. */
export type RawArtifact = {
  readonly fileName: string;
  readonly container: Extract<Form, 'tar.gz' | 'tar' | 'zip' | 'deb' | 'text'>;
  readonly entries: readonly Entry[];
  /** Whole texts of manifests and readmes, by path. */
  readonly texts: ReadonlyMap<string, string>;
  /** Texts of a deb's control archive. */
  readonly control: ReadonlyMap<string, string>;
  readonly comment: string | null;
  /** Machine code and class files by path. */
  readonly binaries: ReadonlyMap<string, BinaryKind>;
};

/** The manifest inside an artifact: as its format has it, and what all formats have in common. */
export type InnerManifest = {
  readonly path: string;
  readonly json: Readonly<Record<string, unknown>>;
  readonly common: PackageManifest;
};

/** What an artifact says of itself. */
export type Description = {
  readonly form: Form;
  /** The one folder that everything is in, with `/` behind; '' when there is none. */
  readonly prefix: string;
  readonly manifest: InnerManifest | null;
  /** Why the manifest that is inside could not be read; null when it was, or when there is none. */
  readonly problem: string | null;
  readonly readme: { readonly path: string; readonly text: string } | null;
  /** Platforms, runtimes, frameworks it has something for, one a line. */
  readonly targets: readonly string[];
  /** The commit that it names; null for none. */
  readonly commit: string | null;
  /** Canonical metadata that is not among the entries, for the content digest. */
  readonly metadata: string;
};

/** A manifest that says nothing: something to report, not a reason to show nothing. */
export const emptyManifest: PackageManifest = {
  name: null,
  version: null,
  description: null,
  licence: null,
  dependencies: [],
};
