import type { ManifestFormat } from '../manifest/package-manifest.ts';
import type { FindPlaces } from '../manifest/version-place/place.ts';
import type { TrialClient } from '../name/client.ts';
import type { BuiltForm } from '../name/form.ts';
import type { Protocol } from '../name/protocol.ts';
import type { Scheme } from '../version/spelling.ts';
import type { Propose } from './proposal.ts';

/** How an ecosystem reads the range of a dependency, and how it is written anew. */
export type RangeRules = {
  /**
   * Whether a version of a workspace package is inside the range.
   * @param last the dependency's last release, null when it has none.
   */
  readonly takes: (range: string, last: string | null, version: string) => boolean;
  /** The range around a new version, its operator kept. */
  readonly raise: (range: string, version: string) => string;
  /** Whether the range stands for the workspace's own copy, and must be written as a range of versions before it is published. */
  readonly isWorkspaceRange: (range: string) => boolean;
};

/** Without rules of its own: any version is inside any range. */
export const anyRange: RangeRules = {
  takes: () => true,
  raise: (range) => range,
  isWorkspaceRange: () => false,
};

/** Package types of the package URL specification that are written here. */
export type PurlType =
  | 'npm'
  | 'pypi'
  | 'cargo'
  | 'golang'
  | 'maven'
  | 'nuget'
  | 'deb'
  | 'gem'
  | 'composer'
  | 'conan'
  | 'generic';

/** A file in which an ecosystem keeps a package's name and version. The code that reads it is loaded when there is such a file. */
export type ManifestFile = {
  /** File name; `{package}` stands for the package's name. */
  readonly file: string;
  readonly load: () => Promise<ManifestFormat>;
  /** Other files of the folder that name the package where the manifest itself does not. */
  readonly namedBy?: { readonly files: readonly string[]; readonly read: (text: string) => string | null };
};

/** All that distinguishes one ecosystem from another. */
export type EcosystemDefinition = {
  /** As `docs/configuration.md` describes it. */
  readonly title: string;
  /** In the order in which a folder is searched for them. */
  readonly manifests: readonly ManifestFile[];
  /** How its manifests and registries write a version: every release must have such a spelling. */
  readonly scheme: Scheme;
  /** A spelling that the survey shows when it differs from SemVer; null for none. */
  readonly shownScheme: Scheme | null;
  readonly ranges: RangeRules;
  readonly purlType: PurlType;
  /** Commands that usually test a package, as an example of a gate. */
  readonly usualTest: string;
  /** The last part of a name with a scope, a group or a path. */
  readonly shortName: (name: string) => string;
  /** The forms that its packages usually have. */
  readonly usualForms: readonly BuiltForm[];
  /** What is not supported, for `init` to say; one sentence each. */
  readonly limits: readonly string[];
  /** What `init` proposes for a package; null for the usual forms alone. */
  readonly propose: (() => Promise<Propose>) | null;
  /** What the usual destination of its packages speaks, and the last part of its address in examples. */
  readonly usualDestination: { readonly speaks: Protocol; readonly path: string };
  /** The client that installs its packages by name; null when its packages are only downloaded. */
  readonly client: TrialClient | null;
  /**
   * Writes into the manifest that a version is taken back, for ecosystems whose clients learn that from the next version: null
   * when it says so already. Null where a manifest has no place for it.
   */
  readonly takeBack: ((manifest: string, version: string, reason: string) => string | null) | null;
  /**
   * The pattern of the only tags that clients read in a repository, from the package's folder ('' for the root); null where
   * clients read no tags.
   */
  readonly tagsRead: ((folder: string) => string) | null;
  /** Source files that carry version macros; null for none. */
  readonly versionHeaders: RegExp | null;
  /** Finds where else than in its manifest's own field a package keeps its version; null where there is no such place. */
  readonly findPlaces: (() => Promise<FindPlaces>) | null;
  /** Whether the manifest says that its package is never published. */
  readonly isPrivate: (manifestText: string) => boolean;
  /** What in the manifest says that its package must not be published, in words; null where nothing does. */
  readonly forbids: (manifestText: string) => string | null;
};
