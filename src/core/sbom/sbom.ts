/** A digest in hexadecimal, under the name CycloneDX and SPDX share but for the hyphen. */
export type Digest = {
  readonly algorithm: 'MD5' | 'SHA-1' | 'SHA-256' | 'SHA-384' | 'SHA-512';
  readonly value: string;
};

/** A file in a package. */
export type SbomFile = {
  readonly path: string;
  readonly sha1: string;
  readonly sha256: string;
  /** SPDX expressions that the file itself names. */
  readonly licences: readonly string[];
  /** Copyright lines of the file; null for none. */
  readonly copyright: string | null;
};

/** A change that was made to a package by others than its makers. */
export type SbomPatch = {
  readonly file: string;
  readonly sha1: string;
  readonly sha256: string;
  /** The patch in base64; null when it is not at hand. */
  readonly base64: string | null;
};

/** What a package is in an SBOM. */
export type PackageRole = 'subject' | 'artifact' | 'source' | 'dependency';

/** One package of an SBOM. */
export type SbomPackage = {
  /** Unique in the SBOM, made of letters, digits, dots and hyphens. */
  readonly id: string;
  readonly role: PackageRole;
  readonly name: string;
  readonly version: string | null;
  readonly purl: string | null;
  /** An SPDX expression, or what the manifest says instead; null when unknown. */
  readonly licence: string | null;
  readonly supplier: string | null;
  readonly copyright: string | null;
  readonly description: string | null;
  readonly digests: readonly Digest[];
  /** Name of the artifact's own file. */
  readonly fileName: string | null;
  /** Address it was, or can be, got from. */
  readonly location: string | null;
  /** Files of the workspace that name it. */
  readonly foundIn: readonly string[];
  /** Null when it was not examined. */
  readonly files: readonly SbomFile[] | null;
  /** In the order in which they were applied; digests and location are those of the package before. */
  readonly patches: readonly SbomPatch[];
  /** What else is to be said of it. */
  readonly comment: string | null;
};

/** How one package needs or holds another; `from` is the one that needs, holds or was made. */
export type SbomRelation = {
  readonly from: string;
  readonly to: string;
  readonly type: 'contains' | 'generated-from' | DependencyKind;
};

/** Why a dependency is needed: to run, if it is there, brought by users, to build, to develop. */
export type DependencyKind = 'run' | 'optional' | 'peer' | 'build' | 'development';

/** An SBOM, in no format yet. */
export type Sbom = {
  readonly name: string;
  /** ISO 8601 in whole seconds, UTC. */
  readonly created: string;
  readonly tool: string;
  readonly organisation: string | null;
  /** Address below which an SPDX document gets its namespace; null for a URN. */
  readonly namespace: string | null;
  /** Ids of what the SBOM is about. */
  readonly subjects: readonly string[];
  readonly packages: readonly SbomPackage[];
  readonly relations: readonly SbomRelation[];
  /** What could not be determined, one sentence each. */
  readonly unknown: readonly string[];
};

/** The comment by which a package of the workspace is known in both formats. */
export const workspaceComment = 'a package of the same workspace';

/** Whether a package is first-party by its comment. */
export function isOfWorkspace({ comment }: Pick<SbomPackage, 'comment'>): boolean {
  return comment?.startsWith(workspaceComment) === true;
}

/** The kinds of dependency, from what matters most at run time to what matters least. */
export const dependencyKinds: readonly DependencyKind[] = ['run', 'peer', 'optional', 'build', 'development'];

/** A package with everything unknown that is not given. */
export function sbomPackage(known: Pick<SbomPackage, 'id' | 'role' | 'name'> & Partial<SbomPackage>): SbomPackage {
  return {
    version: null,
    purl: null,
    licence: null,
    supplier: null,
    copyright: null,
    description: null,
    digests: [],
    fileName: null,
    location: null,
    foundIn: [],
    files: null,
    patches: [],
    comment: null,
    ...known,
  };
}
