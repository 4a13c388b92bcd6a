import type { PurlType } from '../../ecosystem/definition.ts';
import type { ManifestDependency, PackageManifest } from '../../manifest/package-manifest.ts';
import type { DependencyKind, Digest } from '../sbom.ts';

/** A need of one package for another, by the key that the lockfile gives it. */
export type Need = {
  readonly key: string;
  readonly kind: DependencyKind;
  /** Needed by some other package; the lockfile does not say by which. */
  readonly isIndirect?: boolean;
};

/** A package as a lockfile or a manifest fixes it. */
export type LockedPackage = {
  /** Unique in this file. */
  readonly key: string;
  readonly type: PurlType;
  readonly name: string;
  /** Null where only a range is known. */
  readonly version: string | null;
  /** What else a package URL needs: `classifier`, `vcs_url` and the like. */
  readonly qualifiers: Readonly<Record<string, string>>;
  readonly digests: readonly Digest[];
  /** A digest as it was written that is none. */
  readonly badDigest: string | null;
  readonly location: string | null;
  readonly licence: string | null;
  readonly needs: readonly Need[];
  /** Folder of an installed copy, from the lockfile's own folder. */
  readonly installedAt: string | null;
  readonly comment: string | null;
};

/** What a file says of dependencies. */
export type DependencyReading = {
  /** What the file is, in words. */
  readonly format: string;
  readonly packages: readonly LockedPackage[];
  /** Direct needs by folder, from the file's own folder: '' for itself. A need for another folder has the key of `memberKey`. */
  readonly roots: ReadonlyMap<string, readonly Need[]>;
  /** What could not be determined, one sentence each. */
  readonly unknown: readonly string[];
  /** By folder: names that were asked for when the file was written, each with the range of then where it is recorded. */
  readonly asked: ReadonlyMap<string, ReadonlyMap<string, string | null>>;
};

/** What a reader may look up beside the text. */
export type ReadingContext = {
  /** Path of the file, for messages. */
  readonly file: string;
  /** A text in YAML is refused beyond this; the usual limit when it is not said. */
  readonly yamlBytes?: number;
  /** Manifests by folder, from the file's own folder. */
  readonly manifests: ReadonlyMap<string, PackageManifest>;
  /** Text of a file beside it, `../` for those above; null when there is none. */
  readonly beside: (name: string) => string | null;
};

/** Reads one format. @returns null when this version of the format is not read; @throws MANIFEST_INVALID for a broken one. */
export type DependencyReader = (text: string, context: ReadingContext) => DependencyReading | null;

/** A locked package with everything unknown that is not given. */
export function lockedPackage(
  known: Pick<LockedPackage, 'key' | 'type' | 'name' | 'version'> & Partial<LockedPackage>,
): LockedPackage {
  return {
    qualifiers: {},
    digests: [],
    badDigest: null,
    location: null,
    licence: null,
    needs: [],
    installedAt: null,
    comment: null,
    ...known,
  };
}

/** A reading with nothing unknown and no record of what was asked for, where it is not given. */
export function dependencyReading(
  known: Pick<DependencyReading, 'format' | 'packages' | 'roots'> & Partial<DependencyReading>,
): DependencyReading {
  return { unknown: [], asked: new Map(), ...known };
}

/** The key by which a package needs another folder of the workspace, from the lockfile's own folder. */
export function memberKey(folder: string): string {
  return `folder ${folder}`;
}

/** The folder that a key stands for; null for a package. */
export function memberFolder(key: string): string | null {
  return key.startsWith('folder ') ? key.slice('folder '.length) : null;
}

/** Why a manifest needs something, as an SBOM says it. */
export function kindOf({ kind, isOptional }: ManifestDependency): DependencyKind {
  return isOptional === true && (kind === 'run' || kind === 'peer') ? 'optional' : kind;
}

/** All that a manifest needs: what is published, and what only developers and their tools need. */
export function needsIn(manifest: PackageManifest | undefined): readonly ManifestDependency[] {
  return manifest === undefined ? [] : [...manifest.dependencies, ...(manifest.unpublished ?? [])];
}

/** The package of a repository, by its address and commit (purl specification, qualifier `vcs_url`; SPDX 2.3 §7.7.1). */
export function repositoryQualifiers(address: string, commit: string | null): Readonly<Record<string, string>> {
  const scp = /^(?:[\w.-]+@)([\w.-]+):(?!\/)(.+)$/.exec(address);
  const plain = (scp === null ? address : `ssh://${scp[1]}/${scp[2]}`).replace(/^git\+/, '').replace(/[?#].*$/, '');
  if (!URL.canParse(plain)) return {};
  const url = new URL(plain);
  [url.username, url.password, url.search, url.hash] = ['', '', '', ''];
  return { vcs_url: `git+${url.href}${commit === null ? '' : `@${commit}`}` };
}
