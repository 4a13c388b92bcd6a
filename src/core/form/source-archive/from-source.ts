import type { ReleaseNotes } from '../../changelog/section.ts';
import type { FileRuleConfig, InputConfig, PackageConfig } from '../../config/config.ts';
import { formatArtifacts } from '../../config/format-config.ts';
import { publicAddresses } from '../../input/input-address.ts';
import type { PackageManifest } from '../../manifest/package-manifest.ts';
import type { Ecosystem } from '../../name/ecosystem.ts';
import type { Stream } from '../../version/stream.ts';

/** The file of a source archive that says how it is built, for people and programs without this one (docs/from-source.md). */
export const fromSourceName = 'from-source.json';

/** A step: a command for `sh`, with the placeholders `{version}`, `{platform}`, `{commit}` and `{out}`. */
export type SourceStep = {
  readonly name: string;
  readonly run: string;
  /** Folder inside the package's, where it runs. */
  readonly in: string;
  readonly env: Readonly<Record<string, string>>;
  /** The one platform it is for; null for all. */
  readonly platform: string | null;
  /** Most time it may take. */
  readonly seconds: number;
};

/** A third-party source that the package is built from. */
export type SourceInput = {
  readonly name: string;
  readonly version: string | null;
  /** Web addresses that everyone has; empty when there are none. */
  readonly from: readonly string[];
  readonly sha256: string;
  /** Folder inside the package's that has its contents. */
  readonly into: string;
  readonly 'drop-top': boolean;
  readonly licence: string | null;
  /** In the order in which they were applied, below `into`; paths inside the package's folder. */
  readonly patches: readonly { readonly file: string; readonly sha256: string; readonly subject: string | null }[];
};

/** Something that a package needs, by the name and the range that its ecosystem knows. */
export type SourceNeed = { readonly name: string; readonly range: string };

/** How a release is built from its sources. */
export type FromSource = {
  readonly schema: 'bevelstone/from-source/1';
  readonly package: string;
  /** Name in the ecosystem's manifest. */
  readonly name: string;
  readonly ecosystem: Ecosystem;
  readonly version: string;
  readonly commit: string;
  /** SOURCE_DATE_EPOCH of the build: seconds since 1970. */
  readonly time: number;
  /** The package's folder below the top of the sources; '' for the top itself. */
  readonly folder: string;
  readonly platforms: readonly string[];
  /** Programs that the steps start; a range of versions, or null for any. */
  readonly tools: readonly { readonly name: string; readonly range: string | null }[];
  readonly needs: { readonly build: readonly SourceNeed[]; readonly run: readonly SourceNeed[] };
  /** What lies in a source archive already, unpacked and patched. */
  readonly inputs: readonly SourceInput[];
  readonly steps: readonly SourceStep[];
  /** What goes below the prefix, and where; null for the package's folder as it is after the steps. */
  readonly install: readonly FileRuleConfig[] | null;
  /** Files of the release that are not made from these sources by a step: a `pkg-config` file and the like. */
  readonly helpers: readonly string[];
  /** Files of the archive that the commit does not have, by their paths below its top. */
  readonly made: readonly string[];
  /** What the very artifacts of the release are made with, for this program. */
  readonly release: SourceRelease;
};

/** What makes the same artifacts as the release has. */
export type SourceRelease = {
  /** Version of the program that made it. */
  readonly program: string;
  /** As in bevelstone.yaml, without source archives. */
  readonly artifacts: readonly Readonly<Record<string, unknown>>[];
  readonly 'built-for': PackageConfig['built-for'];
  /** Path of the manifest inside the package's folder; null for none. */
  readonly manifest: string | null;
  readonly supplier: string | null;
  readonly stream: Stream;
  /** Null where they were not asked for. */
  readonly notes: ReleaseNotes | null;
};

/** What `fromSource` is made of. */
export type SourceFacts = {
  readonly name: string;
  readonly fullName: string;
  readonly ecosystem: Ecosystem;
  readonly config: Pick<PackageConfig, 'tools' | 'build' | 'platforms' | 'artifacts' | 'built-for'>;
  readonly manifest: PackageManifest | null;
  readonly version: string;
  readonly commit: string;
  readonly time: number;
  readonly folder: string;
  readonly inputs: readonly SourceInput[];
  readonly install: readonly FileRuleConfig[] | null;
  readonly helpers: readonly string[];
  readonly release: Omit<SourceRelease, 'artifacts' | 'built-for'>;
};

/** An input with its patches, as others can get and make it. */
export function sourceInput(
  input: InputConfig,
  patches: readonly { readonly file: string; readonly sha256: string; readonly subject: string | null }[],
): SourceInput {
  return {
    name: input.name,
    version: input.version,
    from: publicAddresses(input),
    sha256: input.sha256 ?? '',
    into: input.into,
    'drop-top': input['drop-top'],
    licence: input.licence,
    patches: patches.map(({ file, sha256, subject }) => ({ file, sha256, subject })),
  };
}

/** How a package is built, as its configuration at the release says. */
export function fromSource(facts: SourceFacts): FromSource {
  const { config, manifest } = facts;
  const needs = (...kinds: readonly string[]): SourceNeed[] =>
    (manifest?.dependencies ?? [])
      .filter(({ kind }) => kinds.includes(kind))
      .map(({ name, range }) => ({ name, range }));
  return {
    schema: 'bevelstone/from-source/1',
    package: facts.name,
    name: facts.fullName,
    ecosystem: facts.ecosystem,
    version: facts.version,
    commit: facts.commit,
    time: facts.time,
    folder: facts.folder,
    platforms: config.platforms,
    tools: config.tools,
    needs: { build: needs('build'), run: needs('run', 'peer') },
    inputs: facts.inputs,
    steps: config.build.map((step) => ({
      name: step.name,
      run: step.run,
      in: step.in,
      env: step.env,
      platform: step.for,
      seconds: Math.ceil(step['at-most'] / 1000),
    })),
    install: facts.install,
    helpers: facts.helpers,
    made: [],
    release: {
      ...facts.release,
      artifacts: formatArtifacts(config.artifacts),
      'built-for': config['built-for'],
    },
  };
}

/** The text of the file. */
export function formatFromSource(source: FromSource): string {
  return `${JSON.stringify(source, null, 2)}\n`;
}
