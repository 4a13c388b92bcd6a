import type { Config } from '../../core/config/config.ts';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { BevelstoneError, type Problem } from '../../core/error/bevelstone-error.ts';
import { type Change, countChanges } from '../../core/history/count-changes.ts';
import type { DependencyEdge } from '../../core/history/dependency.ts';
import { type NextVersion, nextVersions, type Overrides, type PackageFacts } from '../../core/history/next-version.ts';
import type { OtherCommit } from '../../core/history/walk.ts';
import type { Ecosystem } from '../../core/name/ecosystem.ts';
import { type Spellings, spell, spellAll } from '../../core/version/spelling.ts';
import { chooseStream, type Stream } from '../../core/version/stream.ts';
import { assignTags, type Tag, type VersionTag } from '../../core/version/tag-pattern.ts';
import { compareVersions } from '../../core/version/version.ts';
import type { Weight } from '../../core/version/weight.ts';
import { readTags } from '../../world/git/read-tags.ts';
import { currentBranch, type Repository, resolveCommit, uncommittedPaths } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import {
  type ConfigSource,
  openContext,
  type Package,
  readWorkspace,
  selectPackages,
  type Workspace,
} from '../workspace/workspace.ts';
import {
  askReferences,
  type KnownRelease,
  lastReleases,
  noteUnknownAmendments,
  walkEnd,
  walkHistory,
} from './survey-history.ts';

/** What a survey may be asked to do otherwise. */
export type SurveyOptions = {
  readonly at: string | null;
  readonly branch: string | null;
  readonly stream: string | null;
  readonly as: string | null;
  readonly raise: Weight | null;
  readonly because: string | null;
  /** Whether to list commits of no package too. */
  readonly changes: boolean;
  /** Where every package's changes begin, instead of its last release. */
  readonly from: string | null;
  /** Whether releases of the surveyed commit itself are looked at as if they were still to come, without refusals. */
  readonly asReleased: boolean;
};

/** Nothing asked otherwise. */
export const plainSurvey: SurveyOptions = {
  at: null,
  branch: null,
  stream: null,
  as: null,
  raise: null,
  because: null,
  changes: false,
  from: null,
  asReleased: false,
};

/** One package of a survey. */
export type SurveyedPackage = {
  readonly name: string;
  readonly folder: string;
  readonly ecosystem: Ecosystem;
  readonly stream: string;
  readonly last: VersionTag | null;
  readonly lastInSeries: VersionTag | null;
  readonly next: string | null;
  readonly weight: Weight;
  readonly reasons: readonly string[];
  readonly spellings: Spellings;
  readonly changes: readonly Change[];
  /** The version that the surveyed commit itself is tagged with. */
  readonly here: VersionTag | null;
};

/** The answer of `survey`, with what later steps need beside it. */
export type Survey = {
  readonly commit: string;
  readonly branch: string | null;
  readonly stream: Stream;
  readonly packages: readonly SurveyedPackage[];
  /** Commits of no package, only when asked for. */
  readonly others: readonly OtherCommit[];
  readonly workspace: Workspace;
  /** Indexes into `workspace.packages` of the packages above, in their order. */
  readonly indexes: readonly number[];
  readonly edges: readonly DependencyEdge[];
};

/**
 * What changed since the last release of each package, the next version, and why. Changes nothing.
 * @param source whose configuration counts: the commit's for anything that becomes public.
 * @throws whatever refuses a release (see `nextVersions`), all of it at once.
 */
export async function surveyWorkspace(
  context: Context,
  options: SurveyOptions,
  source: ConfigSource = 'working-folder',
): Promise<Survey> {
  const [repository, commit, branch, found] = await askGit(context, options);
  const workspace = await readWorkspace(context, repository, commit, source);
  const { config, packages } = workspace;
  const selected = selectPackages(packages, context.packages);
  const tags = options.asReleased ? found.tags.filter((tag) => tag.commit !== commit) : found.tags;
  const assigned = assignTags(tags, packages);
  refuseClaimedTwice(assigned.claimedTwice);
  for (const note of [...found.notes, ...assigned.notes]) warn(context, note);
  const stream = chooseStream(config.streams, branch, options.stream);
  const releases = await lastReleases(repository, commit, stream, assigned.byOwner);

  const from = options.from === null ? null : await resolveCommit(repository.place, options.from);
  const end = from ?? (await walkEnd(repository, releases));
  const { walk, amendments, rules } = await walkHistory(repository, { commit, end }, workspace, options.changes);
  const released = await askReferences(repository, walk, { commit, end }, rules);
  const starts = releases.map(({ last, lastInSeries }, index) => ({
    last: from ?? last?.commit ?? null,
    lastInSeries: lastInSeries?.commit ?? null,
    others: (assigned.byOwner[index] ?? []).filter(({ tag }) => tag !== last?.tag).reverse(),
  }));
  const counted = countChanges(walk, starts, released, config.history.weights['revert'] ?? null);
  await noteUnknownAmendments(context, repository, amendments);
  for (const note of walk.notes) warn(context, note);

  const edges = dependencyEdges(packages, releases);
  // A question that looks at every file: only versions for looking depend on it.
  const dirty = stream.type === 'look' && options.at === null && (await uncommittedPaths(repository.place)).length > 0;
  const answers = nextVersions(
    packages.map(
      (one, index): PackageFacts => ({
        name: one.name,
        tags: assigned.byOwner[index] ?? [],
        last: releases[index]?.last?.version ?? null,
        lastInSeries: releases[index]?.lastInSeries?.version ?? null,
        elsewhere: releases[index]?.elsewhere ?? [],
        manifestVersion: one.manifest?.version ?? null,
        changes: counted[index] ?? { changes: [], warnings: [] },
      }),
    ),
    {
      stream,
      head: commit,
      dirty,
      first: config.history.first,
      belowOne: config.history['below-one'],
      unmarked: config.history.unmarked,
      groups: groupIndexes(config, packages),
      edges,
      overrides: overridesOf(options),
      selected,
    },
  );
  if (!options.asReleased) throwAll(answers.problems);

  const here = releasedHere(found.tags, packages, commit);
  const indexes = [...packages.keys()].filter((index) => isShown(index, selected, groupIndexes(config, packages)));
  const surveyed = indexes.map((index) =>
    toSurveyed({
      one: packages[index],
      release: releases[index],
      answer: answers.packages[index],
      changes: counted[index]?.changes ?? [],
      stream,
      here: here[index] ?? null,
    }),
  );
  for (const index of options.asReleased ? [] : indexes) {
    for (const warning of counted[index]?.warnings ?? []) warn(context, `${packages[index]?.name}: ${warning}`);
    noteElsewhere(context, packages[index], releases[index]);
  }
  if (!options.asReleased) noteManifests(context, packages, surveyed);
  return { commit, branch, stream, packages: surveyed, others: walk.others, workspace, indexes, edges };
}

type GitAnswers = readonly [Repository, string, string | null, Awaited<ReturnType<typeof readTags>>];

/** What can be asked at once; whether there is a repository at all is told first. */
async function askGit(context: Context, options: SurveyOptions): Promise<GitAnswers> {
  const repository = openContext(context);
  const place = { folder: context.folder, env: context.env, signal: context.signal };
  const answers = Promise.all([
    repository,
    resolveCommit(place, options.at ?? 'HEAD'),
    options.branch ?? (context.env['BEVELSTONE_BRANCH'] || currentBranch(place)),
    readTags(place),
  ]);
  answers.catch(() => {}); // awaited below, after the repository
  await repository;
  const [opened, commit, branch, tags] = await answers;
  return [opened, commit, branch, tags];
}

function overridesOf({ as, raise, because }: SurveyOptions): Overrides {
  return { as, raise, because };
}

/** Edges between packages of the workspace, from the manifests that are read. */
function dependencyEdges(packages: readonly Package[], releases: readonly KnownRelease[]): DependencyEdge[] {
  // A name belongs to an ecosystem: two registries may each have a package of that name.
  const keyOf = (ecosystem: string, name: string) => `${ecosystem} ${name}`;
  const byName = new Map(packages.map((one, index) => [keyOf(one.ecosystem, one.manifest?.name ?? one.name), index]));
  return packages.flatMap((one, from) =>
    (one.manifest?.dependencies ?? []).flatMap(({ name, range, kind }): DependencyEdge[] => {
      const to = byName.get(keyOf(one.ecosystem, name));
      if (to === undefined || to === from) return [];
      const last = releases[to]?.last?.version ?? null;
      const isReExported = one.config['re-exports'].includes(name);
      return [
        {
          from,
          to,
          kind,
          range,
          isReExported,
          takes: (version) => ecosystemDefinitions[one.ecosystem].ranges.takes(range, last, version),
        },
      ];
    }),
  );
}

function groupIndexes(config: Config, packages: readonly Package[]): number[][] {
  // A package that the commit does not have yet is in no group of it.
  const indexes = config.together.map((names) => names.map((name) => packages.findIndex((one) => one.name === name)));
  return indexes.map((group) => group.filter((index) => index !== -1));
}

/** A package asked for brings its whole group. */
function isShown(index: number, selected: ReadonlySet<number> | null, groups: readonly (readonly number[])[]): boolean {
  if (selected === null || selected.has(index)) return true;
  return groups.some((group) => group.includes(index) && group.some((member) => selected.has(member)));
}

type SurveyedParts = {
  readonly one: Package | undefined;
  readonly release: KnownRelease | undefined;
  readonly answer: NextVersion | undefined;
  readonly changes: readonly Change[];
  readonly stream: Stream;
  readonly here: VersionTag | null;
};

/** The highest version that the surveyed commit itself is tagged with, by package. */
function releasedHere(tags: readonly Tag[], packages: readonly Package[], commit: string): (VersionTag | null)[] {
  const own = tags.filter((tag) => tag.commit === commit);
  return assignTags(own, packages).byOwner.map((list) => list[0] ?? null);
}

function toSurveyed({ one, release, answer, changes, stream, here }: SurveyedParts): SurveyedPackage {
  if (one === undefined || release === undefined || answer === undefined)
    throw new Error('a package got lost on the way');
  const { next } = answer;
  // A version that its ecosystem cannot write is refused now, not when it is built.
  if (next !== null) spell(ecosystemDefinitions[one.ecosystem].scheme, next, stream);
  return {
    name: one.name,
    folder: one.folder === '' ? '.' : one.folder,
    ecosystem: one.ecosystem,
    stream: stream.name,
    last: release.last,
    lastInSeries: release.lastInSeries,
    next,
    weight: answer.weight,
    reasons: answer.reasons,
    spellings: next === null ? {} : spellAll(next, stream),
    changes,
    here,
  };
}

function noteElsewhere(context: Context, one: Package | undefined, release: KnownRelease | undefined): void {
  const names = (release?.elsewhere ?? []).map(({ tag }) => tag);
  if (names.length > 0)
    warn(
      context,
      `${one?.name}: ${names.join(', ')} ${names.length === 1 ? 'is' : 'are'} on another line, not in this commit`,
    );
}

/** Tags alone say what was released; manifests that say otherwise are worth a line, those that are ahead one each. */
function noteManifests(context: Context, packages: readonly Package[], surveyed: readonly SurveyedPackage[]): void {
  const others: string[] = [];
  for (const { name, last, lastInSeries, next } of surveyed) {
    const written = packages.find((one) => one.name === name)?.manifest?.version ?? null;
    if (written === null || last === null || written === last.version || written === lastInSeries?.version) continue;
    if (/^0\.0\.0(-|$)/.test(written)) continue;
    const isAhead = compareVersionsSafely(written, next ?? last.version) > 0;
    if (isAhead)
      warn(
        context,
        `${name}: the manifest says ${written}, ahead of what would be released; the last tag is ${last.version}`,
      );
    else others.push(`${name} ${written} (tag ${last.version})`);
  }
  if (others.length === 0) return;
  const named = others.slice(0, 3).join(', ') + (others.length > 3 ? ` and ${others.length - 3} more` : '');
  warn(context, `the manifest says otherwise than the last tag, which counts: ${named}`);
}

function compareVersionsSafely(a: string, b: string): number {
  try {
    return compareVersions(a, b);
  } catch {
    return 0;
  }
}

function refuseClaimedTwice(claimed: readonly { tag: string; owners: readonly string[] }[]): void {
  const [first] = claimed;
  if (first === undefined) return;
  throw new BevelstoneError('TAG_CLAIMED_TWICE', {
    message: `The tag ${first.tag} fits ${first.owners.join(' and ')}`,
    why: 'their tag patterns are equally exact, so nobody can tell whose release it was',
    fix: 'Give each package a pattern of its own: `tag: "{package}/{version}"`',
    where: { file: 'bevelstone.yaml' },
  });
}

function throwAll(problems: readonly Problem[]): void {
  const [first, ...more] = problems;
  if (first === undefined) return;
  throw new BevelstoneError(first.code, {
    message: more.length === 0 ? first.message : `${problems.length} things keep this from being released`,
    why:
      more.length === 0
        ? 'a release now would contradict what is tagged, configured or committed'
        : 'each is listed with what to do',
    fix: more.length === 0 ? first.fix : 'Settle each, or name only some packages with -p',
    problems: more.length === 0 ? [] : problems,
  });
}
