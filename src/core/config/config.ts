import type { Amendment } from '../history/meaning.ts';
import type { Weight } from '../history/weight.ts';
import type { StreamConfig } from '../version/stream.ts';

// The shapes of bevelstone.yaml after its check, defaults filled in. Keys are written as in the file.

/** `history`: how commits and tags are read. */
export type HistoryConfig = {
  /** Null: the default, which depends on the number of packages. */
  readonly tag: readonly string[] | null;
  readonly first: string;
  readonly 'below-one': 'shift' | 'keep';
  readonly weights: Readonly<Record<string, Weight>>;
  readonly unmarked: 'none' | 'patch' | 'refuse';
  readonly patterns: readonly { readonly match: string; readonly kind: string }[];
  readonly amend: Readonly<Record<string, Amendment>>;
};

/** A build step. */
export type StepConfig = {
  readonly name: string;
  readonly run: string;
  /** Folder inside the package's, where it runs. */
  readonly in: string;
  readonly env: Readonly<Record<string, string>>;
};

/** One line of selection. */
export type ContentsConfig = {
  readonly from: string;
  readonly to: string | null;
  readonly only: readonly string[];
  readonly except: readonly string[];
  readonly mode: string | null;
};

/** The forms that can be built. */
export type BuiltForm = 'npm-tarball' | 'tar.gz';

/** One artifact to make. */
export type ArtifactConfig = {
  readonly form: BuiltForm;
  readonly name: string | null;
  readonly contents: readonly ContentsConfig[] | null;
};

/** Severity of a rule, or `off`. */
export type SeverityConfig = 'refuse' | 'warn' | 'note' | 'off';

/** `verify` of a package. */
export type VerifyConfig = {
  readonly require: readonly string[];
  readonly forbid: readonly string[];
  /** Bytes; null for no limit. */
  readonly largest: number | null;
  readonly rules: Readonly<Record<string, SeverityConfig>>;
};

/** One entry of `packages`. */
export type PackageConfig = {
  readonly folder: string;
  readonly ecosystem: string | null;
  readonly also: readonly string[];
  readonly tag: readonly string[] | null;
  readonly build: readonly StepConfig[];
  readonly artifacts: readonly ArtifactConfig[];
  readonly verify: VerifyConfig;
  readonly 're-exports': readonly string[];
  readonly 'send-to': readonly string[];
};

/** A credential: a reference to where the secret is, never the secret. */
export type CredentialReference = string;

/** One entry of `destinations`. */
export type DestinationConfig = {
  readonly speaks: 'npm-registry' | 'folder';
  /** An address, a path for a folder, or `env:NAME`. */
  readonly url: string;
  readonly credential: CredentialReference;
  readonly takes: readonly string[] | null;
  readonly streams: readonly string[] | null;
  readonly under: string;
  readonly access: 'public' | 'restricted' | null;
};

/** `links`: templates of addresses. */
export type LinksConfig = { readonly commit: string | null; readonly issue: string | null };

/** `notes`: titles of sections by kind, in their order. */
export type NotesConfig = { readonly sections: Readonly<Record<string, string>> };

/** `write-back`: what a release changes in the repository. */
export type WriteBackConfig = { readonly changelog: string };

/** The whole of bevelstone.yaml. */
export type Config = {
  readonly schema: 1;
  readonly bevelstone: string | null;
  readonly supplier: string | null;
  readonly output: string;
  readonly links: LinksConfig;
  readonly notes: NotesConfig;
  readonly 'write-back': WriteBackConfig;
  readonly history: HistoryConfig;
  readonly streams: Readonly<Record<string, StreamConfig>>;
  readonly packages: Readonly<Record<string, PackageConfig>>;
  readonly together: readonly (readonly string[])[];
  readonly destinations: Readonly<Record<string, DestinationConfig>>;
};
