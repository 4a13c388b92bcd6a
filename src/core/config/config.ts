import type { Amendment } from '../history/meaning.ts';
import type { TrialClient } from '../name/client.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import type { BuiltForm, SbomKind } from '../name/form.ts';
import type { Protocol, StoreName } from '../name/protocol.ts';
import type { LimitsConfig } from '../text/limits.ts';
import type { StreamConfig } from '../version/stream.ts';
import type { TagPattern } from '../version/tag-pattern.ts';
import type { Weight } from '../version/weight.ts';

// The shapes of bevelstone.yaml after its check, defaults filled in. Keys are written as in the file.

/** `history`: how commits and tags are read. */
export type HistoryConfig = {
  /** Null: the default, which depends on the number of packages. */
  readonly tag: readonly TagPattern[] | null;
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
  /** The one platform it is for; null for all. */
  readonly for: string | null;
  /** Most time it may take, in milliseconds. */
  readonly 'at-most': number;
};

/** A tool that the build steps use, and the range of its versions; null for any. */
export type ToolConfig = { readonly name: string; readonly range: string | null };

/** A file that gets the version by a rule of its own. */
export type StampConfig = { readonly file: string; readonly find: string; readonly write: string };

/** One line of selection. */
export type FileRuleConfig = {
  readonly from: string;
  readonly to: string | null;
  /** Path of the one file that `from` names; excludes `to`. */
  readonly as: string | null;
  readonly only: readonly string[];
  readonly except: readonly string[];
  readonly mode: string | null;
};

/** A file that Bevelstone writes along with a native library or a program. */
export type HelperConfig = {
  readonly helper: 'pkg-config' | 'launcher' | 'desktop-entry' | 'installed-files';
  /** Name of the launcher or the desktop entry; null for the package's. */
  readonly name: string | null;
  /** Path inside the artifact of the program that a launcher starts; null for the only one there is. */
  readonly run: string | null;
  /** Further fields of a desktop entry, or variables that a launcher sets. */
  readonly set: Readonly<Record<string, string>>;
};

/** One artifact to make. */
export type ArtifactConfig = {
  readonly form: BuiltForm;
  readonly name: string | null;
  readonly files: readonly FileRuleConfig[] | null;
  /** Glob of a file that a build step makes as the finished artifact; null when Bevelstone packs it. */
  readonly brought: string | null;
  /** Whether it is sent to destinations; false for one that is only built. */
  readonly deliver: boolean;
  /** A partial artifact: the release that it is put on, `last` or a version; null for a whole one. */
  readonly 'only-new-after': string | null;
  /** What tells a jar from the main one of the same coordinates; null for the main one. */
  readonly classifier: string | null;
  /** Whether everything in an archive lies below one folder with name and version. */
  readonly top: 'named' | 'none';
  /** Debian revision. */
  readonly revision: number;
  readonly helpers: readonly HelperConfig[];
  /** Of a source archive: the package's folder, or the commit's whole tree. */
  readonly tree: 'package' | 'commit';
  /** Python, ABI and platform tags of a wheel with extension modules; null to read them from their names. */
  readonly 'wheel-tag': string | null;
  /** Fields of a deb's control file. */
  readonly control: Readonly<Record<string, string>>;
  /** Attributes of a jar's manifest. */
  readonly attributes: Readonly<Record<string, string>>;
  /** `groupId` and `artifactId` of a jar or a POM; `name`, `url` and `license` of a generated POM. */
  readonly coordinates: Readonly<Record<string, string>>;
};

/** Severity of a rule, or `off`. */
export type SeverityConfig = 'refuse' | 'warn' | 'note' | 'off';

/** Something that a rule finds and that may pass, with the reason. */
export type ExceptionConfig = {
  readonly rule: string;
  /** A path or a glob inside the artifact; null for all that the rule finds. */
  readonly path: string | null;
  readonly reason: string;
};

/** Globs of SPDX identifiers; what no list names is asked about as soon as there is an `allow`. */
export type LicencePolicyConfig = {
  readonly allow: readonly string[];
  readonly refuse: readonly string[];
  readonly ask: readonly string[];
};

/** What happens when a version is too small for what changed in the public surface; null where the version decides. */
export type SurfaceStepConfig = 'refuse' | 'warn' | 'off';

/** A difference that is not held against a version. */
export type SurfaceExceptionConfig = { readonly name: string; readonly reason: string };

/** `surface` of a package. */
export type SurfaceConfig = {
  readonly step: SurfaceStepConfig | null;
  readonly exceptions: readonly SurfaceExceptionConfig[];
  /** Whether the notes of a release name what changed. */
  readonly notes: boolean;
};

/** `verify` of a package. */
export type VerifyConfig = {
  readonly require: readonly string[];
  readonly forbid: readonly string[];
  /** Bytes; null for no limit. */
  readonly largest: number | null;
  /** How many times the size of the last release; null for no limit. */
  readonly growth: number | null;
  /** The newest C library that machine code may need. */
  readonly 'c-library': string | null;
  /** The oldest Java that classes must run on. */
  readonly java: number | null;
  readonly rules: Readonly<Record<string, SeverityConfig>>;
  readonly exceptions: readonly ExceptionConfig[];
  readonly licences: LicencePolicyConfig | null;
};

/** What `sbom write` writes; null for what the workspace or the program says. */
export type SbomConfig = {
  readonly kinds: readonly SbomKind[] | null;
  /** Address below which SPDX documents get their namespace; null for a URN. */
  readonly namespace: string | null;
};

/** A third-party source that a package is built from: fetched from one of several places, and pinned by its digest. */
export type InputConfig = {
  readonly name: string;
  /** Fills `{version}` in the addresses; null for addresses without it. */
  readonly version: string | null;
  /** Addresses and paths, tried in their order. */
  readonly from: readonly string[];
  /** Null until it is known: nothing is built then. */
  readonly sha256: string | null;
  /** Folder inside the package's that gets the contents. */
  readonly into: string;
  /** Whether the one folder that everything in the archive lies in is left out. */
  readonly 'drop-top': boolean;
  /** Upstream's detached signature; `key` null: it is there, and nothing is checked. */
  readonly signature: { readonly from: string; readonly key: string | null } | null;
  /** SPDX expression for SBOMs. */
  readonly licence: string | null;
  /** Origins that an address may redirect to. */
  readonly 'also-trusts': readonly string[];
};

/** Patches, applied in the order of their names. */
export type PatchConfig = {
  /** Path or glob inside the package's folder. */
  readonly files: string;
  /** Name of the input that they change; null for the only one. */
  readonly input: string | null;
};

/** One entry of `packages`. */
export type PackageConfig = {
  readonly folder: string;
  readonly ecosystem: Ecosystem | null;
  readonly also: readonly string[];
  readonly tag: readonly TagPattern[] | null;
  readonly tools: readonly ToolConfig[];
  /** Where steps and tools are looked for; null for the PATH of whoever builds. */
  readonly path: readonly string[] | null;
  /** Whether steps run without a network, where the system can do that. */
  readonly offline: boolean;
  /** Whether steps may write into the checkout only, where the system can do that. */
  readonly contained: boolean;
  readonly inputs: readonly InputConfig[];
  readonly patches: readonly PatchConfig[];
  readonly build: readonly StepConfig[];
  readonly platforms: readonly string[];
  readonly 'built-for': 'release' | 'debug';
  readonly stamp: readonly StampConfig[];
  readonly artifacts: readonly ArtifactConfig[];
  readonly verify: VerifyConfig;
  readonly surface: SurfaceConfig;
  readonly sbom: SbomConfig;
  readonly 're-exports': readonly string[];
  readonly trial: readonly TrialConfig[];
  /** Null when the file does not say where its releases go; empty when only a tag and a record are wanted. */
  readonly 'send-to': readonly string[] | null;
};

/** Where a secret is, never the secret: `env:NAME`, `file:PATH` or `kept:NAME`. */
export type SecretReference = string;

/** How a destination lets us in; a bare reference is the protocol's usual kind. */
export type CredentialConfig =
  | 'none'
  | 'chain'
  | SecretReference
  | { readonly token: SecretReference }
  | { readonly user: string; readonly password: SecretReference }
  | { readonly header: string; readonly value: SecretReference }
  | {
      readonly 'access-key': SecretReference;
      readonly 'secret-key': SecretReference;
      readonly session?: SecretReference;
    };

/** One entry of `destinations`. */
export type DestinationConfig = {
  readonly speaks: Protocol;
  /** The store that a layout's files are kept in; of a store itself that one, of all other protocols null. */
  readonly over: StoreName | null;
  /** An address, a path for a folder, or `env:NAME`. */
  readonly url: string;
  readonly credential: CredentialConfig;
  readonly takes: readonly string[] | null;
  readonly streams: readonly string[] | null;
  readonly under: string;
  readonly access: 'public' | 'restricted' | null;
  /** Where readers find what was uploaded, when that is another address. */
  readonly 'index-url': string | null;
  /** Reference to a one-time password. */
  readonly 'one-time': SecretReference | null;
  /** How long `publish` waits until a delivery comes back, in milliseconds. */
  readonly 'confirm-for': number;
  /** Whether it takes snapshots, and nothing else (maven-layout). */
  readonly snapshots: boolean;
  /** Index of the crates that a crate needs and that are not at this destination; null when they are in the same index. */
  readonly 'others-from': string | null;
  /** How many prereleases stay listed; null for all. Older ones are removed after a release. */
  readonly keep: { readonly prereleases: number } | null;
  readonly bucket: string | null;
  readonly region: string | null;
  readonly 'path-style': boolean;
  readonly 'make-bucket': boolean;
  /** Further origins of the same service, which may get the credential too. */
  readonly 'also-trusts': readonly string[];
  /** Whether a delivery that could not be downloaded again counts all the same. */
  readonly confirm: 'now' | 'later';
  /** Whether a probe may write something small and delete it again, to test the permission. */
  readonly probe: 'read' | 'write';
};

/** One way to try an installed package out. */
export type TrialConfig = {
  /** The client that installs it; null for the one its ecosystem has. */
  readonly client: TrialClient | null;
  /** Versions of the client, or of the interpreter below it; empty for the one that is found. */
  readonly versions: readonly string[];
  readonly run: readonly string[];
  /** A server that runs while the commands do, `{port}` being chosen for it; null for none. */
  readonly start: string | null;
  /** The address that answers once the server is ready. */
  readonly until: string | null;
};

/** Protocols of which names outside the workspace can come from elsewhere in a rehearsal. */
export const upstreamProtocols = [
  'npm-registry',
  'python-index',
  'maven-layout',
  'crate-registry',
  'go-proxy',
] as const;

/** One of these protocols. */
export type UpstreamProtocol = (typeof upstreamProtocols)[number];

/** Addresses by protocol where names outside the workspace come from; a text alone is a registry for npm. */
export type UpstreamConfig = Partial<Readonly<Record<UpstreamProtocol, string>>>;

/** `rehearse`: how built packages are tried. */
export type RehearseConfig = { readonly upstream: UpstreamConfig; readonly required: boolean };

/** `confirm`: how delivered ones are. */
export type ConfirmConfig = { readonly upstream: UpstreamConfig };

/** A part of a release and the path on a target that gets it. */
export type MapConfig = {
  /** Path inside the artifact, below its one top folder; `.` for all of it. */
  readonly from: string;
  /** Absolute, or inside the deployment's folder. */
  readonly to: string;
  /** Whether its files are copied; else a link leads to them. */
  readonly copy: boolean;
  /** Permission bits of its files; null for those of the artifact. */
  readonly mode: string | null;
  /** `USER` or `USER:GROUP` of its files; null for whoever deploys. */
  readonly owner: string | null;
};

/** A command on a target. */
export type TargetCommandConfig = {
  readonly run: string;
  /** Most time it may take, in milliseconds. */
  readonly 'at-most': number;
};

/** One entry of `deployments`: where the releases of a package are unpacked. */
export type DeploymentConfig = {
  readonly package: string;
  /** Form of the artifact; null for the first that can be unpacked. */
  readonly artifact: BuiltForm | null;
  readonly platform: string | null;
  readonly target: 'folder' | 'ssh';
  /** Folder on the target. */
  readonly folder: string;
  /** Of a target over ssh; null for a folder. */
  readonly host: string | null;
  readonly user: string | null;
  readonly port: number | null;
  /** Path of a private key, and of a file of host keys; null for what the ssh client takes by itself. */
  readonly key: string | null;
  readonly 'known-hosts': string | null;
  /** Whether the artifact is unpacked; else it is deployed as the file that it is. */
  readonly unpack: boolean;
  readonly map: readonly MapConfig[];
  /** How many earlier releases stay on the target. */
  readonly earlier: number;
  /** Commands before the switch, in the new release's folder. */
  readonly first: readonly TargetCommandConfig[];
  /** Commands after it. */
  readonly then: readonly TargetCommandConfig[];
  /** The address that answers once the release works; null for none. */
  readonly until: string | null;
  /** How long it is waited for, in milliseconds. */
  readonly within: number;
};

/** `gates`: what must hold before a release. */
export type GatesConfig = {
  /** Nothing uncommitted. */
  readonly clean: boolean;
  /** Not behind the remote branch. */
  readonly 'in-step': boolean;
  readonly run: readonly string[];
  readonly 'run-in': 'checkout' | 'working-folder';
  readonly 'narrow-credential': boolean;
};

/** `links`: templates of addresses. */
export type LinksConfig = { readonly commit: string | null; readonly issue: string | null };

/** `notes`: titles of sections by kind, in their order. */
export type NotesConfig = { readonly sections: Readonly<Record<string, string>> };

/** `write-back`: what a release changes in the repository. */
export type WriteBackConfig = {
  /** Versions and changelog in a commit of their own; else the tag alone carries the version. */
  readonly commit: boolean;
  /** Subject of that commit; `{releases}` stands for names and versions. */
  readonly message: string;
  readonly changelog: string;
  /** Whether tags are signed, by git's own setup. */
  readonly sign: boolean;
  /** Commands that regenerate files into the commit. */
  readonly make: readonly { readonly run: string; readonly files: readonly string[] }[];
};

/** The whole of bevelstone.yaml. */
export type Config = {
  readonly schema: 1;
  readonly bevelstone: string | null;
  readonly supplier: string | null;
  /** The address that people clone the repository from; null for that of `origin`. */
  readonly repository: string | null;
  /** For packages that say nothing of their own. */
  readonly sbom: SbomConfig;
  readonly output: string;
  readonly links: LinksConfig;
  readonly notes: NotesConfig;
  readonly 'write-back': WriteBackConfig;
  readonly history: HistoryConfig;
  readonly streams: Readonly<Record<string, StreamConfig>>;
  readonly packages: Readonly<Record<string, PackageConfig>>;
  readonly together: Readonly<Record<string, readonly string[]>>;
  readonly destinations: Readonly<Record<string, DestinationConfig>>;
  readonly deployments: Readonly<Record<string, DeploymentConfig>>;
  readonly gates: GatesConfig;
  readonly limits: LimitsConfig;
  readonly rehearse: RehearseConfig;
  readonly confirm: ConfirmConfig;
  /** Commands that run after a release. */
  readonly afterwards: readonly string[];
};

/** The destinations of a package; none where nothing is said. */
export function destinationsOf({ 'send-to': sendTo }: Pick<PackageConfig, 'send-to'>): readonly string[] {
  return sendTo ?? [];
}
