import { guessTags } from '../../core/ecosystem/guess-tags.ts';
import { unreadTagNote } from '../../core/ecosystem/package-tags.ts';
import { BevelstoneError, type Problem } from '../../core/error/bevelstone-error.ts';
import { countChanges } from '../../core/history/count-changes.ts';
import type { DependencyEdge } from '../../core/history/dependency.ts';
import { fileFloors, tagFloors } from '../../core/history/floor.ts';
import { nextVersions, type PackageFacts } from '../../core/history/next-version.ts';
import type { OtherCommit, Walk } from '../../core/history/walk.ts';
import {
  dependencyEdges,
  elsewhereNote,
  groupIndexes,
  isShown,
  joinByOwner,
  joinChanges,
  manifestNotes,
  type PackageHistory,
  type SurveyedPackage as Surveyed,
  surveyedPackage,
} from '../../core/plan/survey-parts.ts';
import { chooseStream, type Stream } from '../../core/version/stream.ts';
import {
  assignTags,
  formatTag,
  formatTagPatterns,
  type IgnoredTag,
  type Tag,
  type VersionTag,
} from '../../core/version/tag-pattern.ts';
import type { Weight } from '../../core/version/weight.ts';
import { readTags } from '../../world/git/read-tags.ts';
import { currentBranch, type Repository, resolveCommit, uncommittedPaths } from '../../world/git/repository.ts';
import { type Context, detailOnce, warn, warnOnce } from '../context.ts';
import {
  type ConfigSource,
  openContext,
  type Package,
  readWorkspace,
  selectPackages,
  type Workspace,
} from '../workspace/workspace.ts';
import { type SourceVersion, sourceVersions } from './source-versions.ts';
import { askReferences, lastReleases, noteUnknownAmendments, walkEnd, walkHistory } from './survey-history.ts';

/** The version tags of the packages, and the tags that are not read as versions. */
export type SurveyedTags = {
  readonly read: readonly (VersionTag & { readonly package: string })[];
  readonly ignored: readonly IgnoredTag[];
};

/** What a survey may be asked to do otherwise. */
export type SurveyOptions = {
  readonly at: string | null;
  readonly branch: string | null;
  readonly stream: string | null;
  readonly exactly: string | null;
  readonly raise: Weight | null;
  readonly because: string | null;
  /** Whether to list commits that are not in any package too. */
  readonly changes: boolean;
  /** Whether to list the tags that were read, and those that were not. */
  readonly tags: boolean;
  /** Where every package's changes begin, instead of its last release. */
  readonly from: string | null;
  /** Whether versions that were released since `at` are only noted. */
  readonly isPast: boolean;
  /** Whether releases of the surveyed commit itself are looked at as if they were still to come, without refusals. */
  readonly asReleased: boolean;
};

/** Nothing asked otherwise. */
export const plainSurvey: SurveyOptions = {
  at: null,
  branch: null,
  stream: null,
  exactly: null,
  raise: null,
  because: null,
  changes: false,
  tags: false,
  from: null,
  isPast: false,
  asReleased: false,
};

/** One package of a survey, with the package of the workspace that it is about. */
export type SurveyedPackage = Surveyed<Package>;

/** The answer of `survey`, with what later steps need beside it. */
export type Survey = {
  readonly commit: string;
  readonly branch: string | null;
  readonly stream: Stream;
  readonly packages: readonly SurveyedPackage[];
  /** Commits that are not in any package, only when asked for. */
  readonly others: readonly OtherCommit[];
  /** Only when asked for. */
  readonly tags: SurveyedTags | null;
  readonly workspace: Workspace;
  /** Packages by their `index`. */
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
  const { repository, commit, branch, found } = await askGit(context, options);
  const workspace = await readWorkspace(context, { repository, commit, source });
  const { config, packages } = workspace;
  const selected = selectPackages(packages, context.packages);
  const stream = chooseStream(config.streams, branch, options.stream);
  const { histories, walk, ignored, unclaimed } = await readHistories(context, {
    workspace,
    commit,
    stream,
    options,
    found,
  });
  const edges = dependencyEdges(histories);
  const groups = groupIndexes(Object.values(config.together), packages);
  // A question that looks at every file: only preview versions depend on it.
  const dirty =
    stream.type === 'preview' && options.at === null && (await uncommittedPaths(repository.place)).length > 0;
  const { first, 'below-one': belowOne, unmarked } = config.history;
  const { exactly, raise, because } = options;
  const overrides = { exactly, raise, because };
  const rules = { stream, head: commit, dirty, first, belowOne, unmarked, groups, edges, overrides, selected };
  const sources = await sourceVersions({ workspace, commit, histories });
  const answers = nextVersions(factsOf(histories, { found, ignored, unclaimed, sources }), rules);
  if (!options.asReleased) throwAll(noteTaken(context, options, answers.problems));

  const shown = histories.flatMap((history, index) => {
    const answer = answers.packages[index];
    return answer === undefined || !isShown(index, selected, groups) ? [] : [{ history, answer }];
  });
  const surveyed = shown.map(({ history, answer }) => surveyedPackage(history, answer, stream));
  if (!options.asReleased) {
    for (const { history } of shown) noteHistory(context, history);
    for (const note of manifestNotes(surveyed)) warn(context, note);
    if (surveyed.some(({ last }) => last === null)) warnOfIgnored(context, ignored);
  }
  const read = shown.flatMap(({ history: { own, tags } }) => tags.map((tag) => ({ ...tag, package: own.name })));
  const tags = options.tags ? { read, ignored } : null;
  return { commit, branch, stream, packages: surveyed, others: walk.others, tags, workspace, edges };
}

type HistoryQuestion = {
  readonly workspace: Workspace;
  readonly commit: string;
  readonly stream: Stream;
  readonly options: SurveyOptions;
  readonly found: GitAnswers['found'];
};

/** Releases and changes of every package of the workspace. */
async function readHistories(
  context: Context,
  { workspace, commit, stream, options, found }: HistoryQuestion,
): Promise<{
  histories: PackageHistory<Package>[];
  walk: Walk;
  ignored: readonly IgnoredTag[];
  unclaimed: readonly Tag[];
}> {
  const { repository, config, packages } = workspace;
  const tags = options.asReleased ? found.tags.filter((tag) => tag.commit !== commit) : found.tags;
  const groups = groupIndexes(Object.values(config.together), packages);
  const assigned = assignTags(tags, packages, groups);
  refuseSameTag(packages);
  refuseClaimedTwice(assigned.claimedTwice);
  const ignored = [...found.ignored, ...assigned.ignored];
  for (const { tag, why } of ignored) detailOnce(context, `tag ${tag} is not read: ${why}`);
  const releases = await lastReleases({ repository, commit, stream, byOwner: assigned.byOwner });
  const from = options.from === null ? null : await resolveCommit(repository.place, options.from);
  const range = { commit, end: from ?? (await walkEnd(repository, releases)) };
  const { walk, amendments, rules } = await walkHistory({
    repository,
    range,
    workspace,
    keepOthers: options.changes,
    build: context.programBuild,
  });
  const released = await askReferences({ repository, walk, range, rules });
  const here = assignTags(
    found.tags.filter((tag) => tag.commit === commit),
    packages,
    groups,
  ).byOwner;
  const known = joinByOwner(packages, { tags: assigned.byOwner, releases, here });
  const starts = known.map(({ tags: own, release: { last, lastInSeries } }) => ({
    last: from ?? last?.commit ?? null,
    lastInSeries: lastInSeries?.commit ?? null,
    others: own.filter(({ tag }) => tag !== last?.tag).reverse(),
  }));
  const revertWeight = config.history.weights['revert'] ?? null;
  const counted = countChanges({ walk, starts, released, revertWeight });
  await noteUnknownAmendments(context, repository, amendments);
  for (const note of walk.notes) warn(context, note);
  return { histories: joinChanges(known, counted), walk, ignored, unclaimed: assigned.unclaimed };
}

type UnreadTags = {
  readonly found: GitAnswers['found'];
  readonly ignored: readonly IgnoredTag[];
  readonly unclaimed: readonly Tag[];
  readonly sources: ReadonlyMap<number, readonly SourceVersion[]>;
};

function factsOf(histories: readonly PackageHistory<Package>[], tags: UnreadTags): PackageFacts[] {
  const names = histories.map(({ own }) => own.name);
  const unread = [...tags.ignored.map(({ tag }) => ({ name: tag })), ...tags.unclaimed];
  const packages = histories.map(({ own }) => ({ ...own, version: own.manifest?.version ?? null }));
  const advice = once(() => guessTags(tags.found.tags, packages));
  return histories.map(({ own, tags: read, release, counted }, index) => {
    const unreadFloors = release.last === null ? tagFloors(unread, own.name, names) : [];
    const patterns = unreadFloors.length === 0 ? undefined : advice()?.patterns[index];
    const sources = tags.sources.get(own.index) ?? [];
    const written = own.manifest?.version ?? null;
    const inManifest = written === null || own.manifestPath === null ? [] : fileFloors(written, own.manifestPath);
    return {
      name: own.name,
      tags: read,
      last: release.last?.version ?? null,
      lastInSeries: release.lastInSeries?.version ?? null,
      elsewhere: release.elsewhere,
      manifestVersion: written ?? sources.find(({ isSource }) => isSource)?.version ?? null,
      floors: [...unreadFloors, ...inManifest, ...sources.flatMap(({ version, file }) => fileFloors(version, file))],
      tagAdvice: patterns === undefined ? null : `tag: ${formatTagPatterns(patterns)}`,
      changes: counted,
    };
  });
}

function once<Value>(make: () => Value): () => Value {
  let made: { readonly value: Value } | null = null;
  return () => {
    made ??= { value: make() };
    return made.value;
  };
}

/** A survey of the past says what was released since, and is not refused for it (docs/design/versions.md, step 18). */
function noteTaken(
  context: Context,
  { at, isPast, tags }: SurveyOptions,
  problems: readonly Problem[],
): readonly Problem[] {
  const noted = at !== null && isPast ? ['VERSION_ELSEWHERE', 'VERSION_BELOW'] : tags ? ['VERSION_BELOW'] : [];
  const taken = problems.filter(({ code }) => noted.includes(code));
  for (const { message } of taken) warn(context, message);
  return problems.filter((problem) => !taken.includes(problem));
}

/** Two packages whose releases would get one tag. */
function refuseSameTag(packages: readonly Package[]): void {
  const taken = new Map<string, string>();
  for (const pkg of packages) {
    const tag = formatTag(pkg, '0.0.0');
    const other = taken.get(tag);
    if (other !== undefined) refuseClaimedTwice([{ tag, owners: [other, pkg.name] }]);
    taken.set(tag, pkg.name);
  }
}

/** A package without a release, beside tags that are not read, may well have one. */
function warnOfIgnored(context: Context, ignored: readonly IgnoredTag[]): void {
  const [first] = ignored;
  if (first === undefined) return;
  const count = ignored.length === 1 ? `tag ${first.tag} is` : `${ignored.length} tags, such as ${first.tag}, are`;
  warnOnce(context, `${count} not read as a version; see: bevelstone survey --tags`);
}

function noteHistory(context: Context, history: PackageHistory<Package>): void {
  for (const warning of history.counted.warnings) warn(context, `${history.own.name}: ${warning}`);
  const unread = unreadTagNote(history.own);
  if (unread !== null) warn(context, unread);
  const elsewhere = elsewhereNote(history);
  if (elsewhere !== null) warn(context, elsewhere);
}

type GitAnswers = {
  readonly repository: Repository;
  readonly commit: string;
  readonly branch: string | null;
  readonly found: Awaited<ReturnType<typeof readTags>>;
};

/** What can be asked at once; first whether there is a repository at all. */
async function askGit(context: Context, options: SurveyOptions): Promise<GitAnswers> {
  const opening = openContext(context);
  const place = { folder: context.folder, env: context.env, signal: context.signal };
  const answers = Promise.all([
    resolveCommit(place, options.at ?? 'HEAD'),
    options.branch ?? (context.env['BEVELSTONE_BRANCH'] || currentBranch(place)),
    readTags(place),
  ]);
  answers.catch(() => {}); // awaited below, after the repository
  const repository = await opening;
  const [commit, branch, found] = await answers;
  return { repository, commit, branch, found };
}

function refuseClaimedTwice(claimed: readonly { tag: string; owners: readonly string[] }[]): void {
  const [first] = claimed;
  if (first === undefined) return;
  throw new BevelstoneError('TAG_CLAIMED_TWICE', {
    message: `the tag ${first.tag} matches the patterns of ${first.owners.join(' and ')}`,
    why: 'both patterns are equally specific',
    fix: 'Give each package its own pattern: `tag: "{package}/{version}"`',
    where: { file: 'bevelstone.yaml' },
  });
}

function throwAll(problems: readonly Problem[]): void {
  const [first, ...more] = problems;
  if (first === undefined) return;
  throw new BevelstoneError(first.code, {
    message: more.length === 0 ? first.message : `${problems.length} problems prevent this release`,
    why:
      more.length === 0
        ? 'a release now would contradict what is tagged, configured or committed'
        : 'each is listed with what to do',
    fix: more.length === 0 ? first.fix : 'Fix each, or select packages with -p',
    problems: more.length === 0 ? [] : problems,
  });
}
