import type { Entry } from '../contents/entry.ts';
import type { PurlType } from '../ecosystem/definition.ts';
import type { PackageManifest } from '../manifest/package-manifest.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import type { Form } from '../name/form.ts';
import type { SurfaceReader } from '../surface/reader.ts';
import type { Spellings } from '../version/spelling.ts';
import type { Artifact } from './artifact.ts';
import type { Description, RawArtifact } from './description.ts';
import type { Layout } from './layout.ts';
import type { Container } from './plan.ts';

/** What an artifact of the form says of itself; null when it is not of the form. @param prefix the one top folder, or ''. */
export type Describe = (raw: RawArtifact, prefix: string) => (Partial<Description> & Pick<Description, 'form'>) | null;

/** A manifest as its format has it. */
export type ManifestJson = Readonly<Record<string, unknown>>;

/** How the text of a page is written. */
export type PageFormat = 'markdown' | 'rst' | 'plain';

/** The text that an index would show, and how it would read it. */
export type ShownReadme = { readonly path: string; readonly text: string; readonly format: PageFormat };

/** The page that an index shows of an artifact: it has a description, a licence field and a readme. */
export type PageDefinition = {
  /** @returns `problem`: why the index shows none, when there is something to say. */
  readonly readme: (artifact: Artifact) => { readonly readme: ShownReadme | null; readonly problem: string | null };
  /** Addresses as the page lists them. */
  readonly links: (json: ManifestJson) => readonly string[];
  /** Whether indexes fetch pictures with relative addresses from the repository that the manifest names. */
  readonly hasRepositoryPictures: (json: ManifestJson) => boolean;
};

/** The range of interpreters that a manifest asks for. */
export type RuntimeRange = {
  readonly title: string;
  readonly field: string;
  /** Null when it does not say. */
  readonly range: string | null;
  /** Whether a version exists that is inside the range. */
  readonly isPossible: boolean;
};

/** What the manifest of a form says, beside what all manifests have in common. */
export type MetadataDefinition = {
  readonly links: (json: ManifestJson) => readonly { readonly field: string; readonly url: string }[];
  readonly namesRepository: (json: ManifestJson) => boolean;
  /** Null when the form has no keywords, or its manifest none. */
  readonly keywords: (json: ManifestJson) => readonly unknown[] | 'not a list' | null;
  readonly runtime: (json: ManifestJson) => RuntimeRange | null;
  /** Ranges of dependencies that no version is inside. */
  readonly impossibleRanges: (
    manifest: PackageManifest,
  ) => readonly { readonly name: string; readonly range: string }[];
  /** Whether the licence may be any text, and whether an older field names one. */
  readonly isFreeLicence: (json: ManifestJson) => boolean;
  readonly hasOldLicence: (json: ManifestJson) => boolean;
};

/** How an artifact depends on platforms: one for each; one for each if its rules name them; one with all that its rules name. */
export type PlatformHabit = 'one-each' | 'one-each-if-named' | 'one-with-all';

/** What installers make of the entries. */
export type EntryTraits = {
  /** Links: as they are; left out, or written as text; laid out from the root of the system. */
  readonly links: 'kept' | 'dropped' | 'from-root';
  /** Modes: as they are; replaced by the installer's own; none in the container. */
  readonly modes: 'kept' | 'replaced' | 'none';
  /** Whether programs may run with their owner's rights. */
  readonly isPrivilegeAllowed: boolean;
  readonly keepsOwners: boolean;
  /** Whether everything lies below one folder that is not part of a file's own path. */
  readonly hasTopFolder: boolean;
};

/** How files of a form are named where only they are named so. */
export type FormNaming = {
  readonly ending: RegExp;
  /** What every installer of the form looks for inside. */
  readonly parts: readonly { readonly name: string; readonly path: RegExp }[];
};

/** All that distinguishes one form of artifact from another. */
export type FormDefinition = {
  /** As `docs/configuration.md` describes it. */
  readonly title: string;
  readonly container: Container | 'tar' | 'text';
  /** Null where the name alone says nothing. */
  readonly naming: FormNaming | null;
  /** What the document or package is for. */
  readonly role: 'package' | 'symbols' | 'sbom';
  /** Lays an artifact out; loaded when one is built. Null for a form that is never built from rules. */
  readonly layout: (() => Promise<Layout>) | null;
  readonly platforms: PlatformHabit;
  readonly entries: EntryTraits;
  /** The version that it names: in its ecosystem's spelling; a deb's without its revision. */
  readonly namedVersion: (version: string, spellings: Spellings) => string;
  /** Ways in which a file name may write the version, beside the version itself. */
  readonly fileVersions: (version: string) => readonly string[];
  /** Versions in files inside, beside the manifest's. */
  readonly innerVersions: (artifact: Artifact) => readonly { readonly path: string; readonly version: string }[];
  /** The package's name as the manifest inside has it; null where that is another name. */
  readonly innerName: (name: string) => string | null;
  /** The ecosystem whose packages have this form; `native` where it may be any. */
  readonly ecosystem: Ecosystem;
  /** Type and namespace of its package URLs where they are not the ecosystem's. */
  readonly ownPurl: { readonly type: PurlType; readonly namespace: string } | null;
  readonly page: PageDefinition | null;
  readonly metadata: MetadataDefinition;
  /** Whether a manifest without a description is a fault. */
  readonly needsDescription: boolean;
  /** Globs that the manifest lists as contents; null when it has no such list. */
  readonly listedFiles: (json: ManifestJson) => readonly unknown[] | null;
  /** Whether different consumers get different files by the manifest of Node.js. */
  readonly hasNodeEntries: boolean;
  /** Reads what users can refer to; null where that is not read. */
  readonly surface: (() => Promise<SurfaceReader>) | null;
  /** The form that has the same surface where one package is built in both; it alone is compared then. */
  readonly surfaceLike: Form | null;
  /** Whether a destination's index shows what is inside, so that an upload carries it along. */
  readonly isShownOnUpload: boolean;
  /** Whether it is what others build the package from. */
  readonly isSource: boolean;
  /** Whether each of its files is an artifact of its own. */
  readonly isLoose: boolean;
  /** Whether a trial unpacks it after the download. */
  readonly isUnpacked: boolean;
  /** The program of the system that installs it as a file; null for none. */
  readonly installer: 'dpkg' | null;
  /** The newest C library that it promises to do with; null when it promises none. */
  readonly cLibraryLimit: (artifact: Pick<Artifact, 'fileName' | 'manifest'>) => string | null;
  /** Whether a path inside is one that the form itself asks for, whatever such a file would be elsewhere. */
  readonly isOwnFile: (path: string) => boolean;
  /** Hashes of its own that its clients check, by name; empty for none. */
  readonly hashes: (entries: readonly Pick<Entry, 'path' | 'type' | 'sha256'>[]) => Readonly<Record<string, string>>;
  /** It can be built only with one of these inside; empty for a form that is used as it is. */
  readonly buildFiles: readonly string[];
  /** Why a file of the package is not inside when the form chose; `hasList`: whether the manifest lists its contents. */
  readonly reasonLeftOut: (hasList: boolean) => string;
};
