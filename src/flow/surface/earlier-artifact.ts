import path from 'node:path';
import { destinationsOf } from '../../core/config/config.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { takesForm } from '../../core/plan/delivery-plan.ts';
import { type ArtifactRecord, areTwins } from '../../core/record/release-record.ts';
import { assignTags, type VersionTag } from '../../core/version/tag-pattern.ts';
import { fileDigest } from '../../world/archive/file-digest.ts';
import { keepArtifact, keptArtifact } from '../../world/artifact-cache.ts';
import { readTags } from '../../world/git/read-tags.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { placeInside } from '../../world/place-inside.ts';
import { systemFault } from '../../world/system-fault.ts';
import { buildSurveyed, plainBuild } from '../build/build.ts';
import { type Context, quietly } from '../context.ts';
import { localReleases } from '../ledger-record/ledger.ts';
import { vouchedDeliveries } from '../ledger-record/vouched.ts';
import { fetchArtifact } from '../read/fetch-artifact.ts';
import { builtFolder, readReleaseFolder } from '../release-folder/built-release.ts';
import { plainSurvey, surveyWorkspace } from '../survey/survey.ts';
import { openDestination } from '../workspace/open-destination.ts';
import type { Package, Workspace } from '../workspace/workspace.ts';

/** Which artifact of an earlier release is wanted. */
export type EarlierQuestion = {
  readonly package: string;
  readonly version: string;
  readonly form: ArtifactRecord['form'];
  readonly platform: string | null;
};

/** An artifact of an earlier release on this machine, and where it came from; or why there is none. */
export type EarlierArtifact =
  | { readonly type: 'found'; readonly file: string; readonly from: string }
  | { readonly type: 'missing'; readonly why: string };

/**
 * Finds artifacts of earlier releases: as they were built here, as they were delivered, by the digest that a tag vouches for, or
 * else built again from their tags. What was fetched or built is kept in the git folder.
 */
export class EarlierArtifacts {
  readonly #context: Context;
  readonly #workspace: Workspace;
  #releases: Promise<LedgerRelease[]> | null = null;
  #tags: ReturnType<typeof readTags> | null = null;

  constructor(context: Context, workspace: Workspace) {
    // A comparison is not worth a question to the person.
    this.#context = {
      ...quietly(context),
      trust: { ...context.trust, ask: null },
      askText: null,
      askSecret: async () => null,
    };
    this.#workspace = workspace;
  }

  /** Secrets that were read on the way. */
  get secrets(): ReadonlySet<string> {
    return this.#context.secrets;
  }

  /** @param reach `here`: only what lies on this machine already; `delivered`: as it was delivered, never built again. */
  async find(
    question: EarlierQuestion,
    reach: 'here' | 'delivered' | 'anywhere' = 'anywhere',
  ): Promise<EarlierArtifact> {
    this.#releases ??= localReleases(this.#context, this.#workspace.repository);
    const release = (await this.#releases).find(
      (found) => found.package === question.package && found.version === question.version && found.isVouched,
    );
    const tag = await this.#tagOf(question);
    const recorded = release?.planned.find((artifact) => areTwins(artifact, question));
    const commit = release?.commit ?? tag?.commit ?? null;
    if (commit === null) return { type: 'missing', why: `no tag names ${question.package} ${question.version}` };
    const here = await this.#builtHere(question, commit, recorded?.sha256 ?? null);
    if (here !== null) return { type: 'found', file: here, from: 'built here' };
    const key = { commit, ...question, sha256: recorded?.sha256 ?? null };
    const kept = await keptArtifact(this.#workspace.repository.commonFolder, key);
    // What was built again may have other bytes.
    if (kept !== null && (reach !== 'delivered' || (await this.#isRecorded(kept, recorded))))
      return { type: 'found', file: kept, from: 'kept from an earlier comparison' };
    if (reach === 'here') return { type: 'missing', why: 'it is not on this machine' };
    return this.#elsewhere(question, { release, recorded, commit, key, mayBuild: reach === 'anywhere' });
  }

  async #elsewhere(
    question: EarlierQuestion,
    {
      release,
      recorded,
      commit,
      key,
      mayBuild,
    }: {
      readonly release: LedgerRelease | undefined;
      readonly recorded: ArtifactRecord | undefined;
      readonly commit: string;
      readonly key: Parameters<typeof keptArtifact>[1];
      readonly mayBuild: boolean;
    },
  ): Promise<EarlierArtifact> {
    const { commonFolder } = this.#workspace.repository;
    const own = await makeOwnFolder(commonFolder, 'earlier');
    const problems: string[] = [];
    try {
      const fetched =
        release === undefined || recorded === undefined
          ? null
          : await this.#fetch(release, recorded, { folder: own.folder, problems });
      if (fetched !== null) {
        const file = await keepArtifact(commonFolder, key, path.join(own.folder, path.basename(recorded?.file ?? '')));
        return { type: 'found', file, from: `fetched from ${fetched}` };
      }
      const built = mayBuild ? await this.#rebuild(question, commit, { folder: own.folder, problems }) : null;
      if (built === null)
        return { type: 'missing', why: problems.join('; ') || 'no destination that the configuration names has it' };
      const file = await keepArtifact(commonFolder, key, built);
      return { type: 'found', file, from: 'built again from its tag' };
    } finally {
      await own.remove();
    }
  }

  async #isRecorded(file: string, recorded: ArtifactRecord | undefined): Promise<boolean> {
    return recorded !== undefined && (await fileDigest(file, recorded.size)) === recorded.sha256;
  }

  async #tagOf({ package: name, version }: EarlierQuestion): Promise<VersionTag | null> {
    const { packages, repository } = this.#workspace;
    this.#tags ??= readTags(repository.place);
    const { byOwner } = assignTags((await this.#tags).tags, packages);
    const own = byOwner[packages.findIndex((found) => found.name === name)] ?? [];
    return own.find((tag) => tag.version === version) ?? null;
  }

  /** An artifact in the output folder that is of this very commit, and whole. */
  async #builtHere(question: EarlierQuestion, commit: string, sha256: string | null): Promise<string | null> {
    const { repository, config } = this.#workspace;
    const output = await placeInside(repository.root, config.output, '`output`');
    try {
      const found = await readReleaseFolder(builtFolder(output, question));
      if (found === null || found.record.commit !== commit) return null;
      const artifact = found.record.artifacts.find((artifact) => areTwins(artifact, question));
      if (artifact === undefined || (sha256 !== null && artifact.sha256 !== sha256)) return null;
      const file = path.join(found.folder, artifact.file);
      return (await fileDigest(file, artifact.size)) === artifact.sha256 ? file : null;
    } catch (error) {
      // A folder that was changed is not the release; there are other ways to it.
      this.#whyFailed(error);
      return null;
    }
  }

  /** What went wrong on one way; a fault of our own is thrown again. */
  #whyFailed(thrown: unknown): string {
    this.#context.signal.throwIfAborted();
    const error = systemFault(thrown, 'try again') ?? thrown;
    if (!isBevelstoneError(error)) throw error;
    return `${error.message}: ${error.why}`;
  }

  /** @returns the destination that it came from. */
  async #fetch(
    release: LedgerRelease,
    artifact: ArtifactRecord,
    { folder, problems }: { readonly folder: string; readonly problems: string[] },
  ): Promise<string | null> {
    const { config, repository, packages } = this.#workspace;
    const pkg = packages.find(({ name }) => name === release.package);
    const names = pkg === undefined ? [] : destinationsOf(pkg.config);
    for (const name of names) {
      const destination = config.destinations[name];
      if (destination === undefined || !takesForm(destination, artifact.form)) continue;
      const standing = vouchedDeliveries(this.#context, { release, name, config: destination });
      if (!standing.some(({ artifact: file }) => file === artifact.file)) continue;
      try {
        const from = await openDestination(this.#context, { name, config: destination, repository });
        await fetchArtifact(this.#context, { from, artifact, standing, folder });
        return name;
      } catch (error) {
        problems.push(`${name}: ${this.#whyFailed(error)}`);
      }
    }
    return null;
  }

  /** Builds the release again from its commit. */
  async #rebuild(
    { package: name, version, form, platform }: EarlierQuestion,
    commit: string,
    { folder, problems }: { readonly folder: string; readonly problems: string[] },
  ): Promise<string | null> {
    const inside = { ...this.#context, packages: [name] };
    try {
      const survey = await surveyWorkspace(inside, { ...plainSurvey, at: commit, isPast: true }, 'commit');
      const built = await buildSurveyed(inside, {
        survey,
        options: plainBuild,
        target: { output: folder, source: commit },
      });
      const release = built.releases.find((found) => found.package === name && found.version === version);
      const artifact = release?.artifacts.find((found) => areTwins(found, { form, platform }));
      if (release !== undefined && artifact !== undefined) return path.join(release.folder, artifact.file);
      problems.push(`building ${commit.slice(0, 7)} again gave no ${form} of ${name} ${version}`);
    } catch (error) {
      problems.push(`it cannot be built again from ${commit.slice(0, 7)}: ${this.#whyFailed(error)}`);
    }
    return null;
  }
}

/** A package of the workspace by its name. */
export function packageNamed(workspace: Workspace, name: string): Package | null {
  return workspace.packages.find((pkg) => pkg.name === name || pkg.fullName === name) ?? null;
}
