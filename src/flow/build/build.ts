import path from 'node:path';
import type { PackageConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import { type BuildPlan, planBuild } from '../../core/plan/build-plan.ts';
import { nearest } from '../../core/text/nearest.ts';
import { some } from '../../core/text/some.ts';
import type { Stream } from '../../core/version/stream.ts';
import { makeLink } from '../../world/files.ts';
import { commitTime, uncommittedPaths } from '../../world/git/repository.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { placeInside } from '../../world/place-inside.ts';
import { hostPlatform, processorCount } from '../../world/platform.ts';
import { isRoot } from '../../world/program.ts';
import { type Context, warn } from '../context.ts';
import { plainSurvey, type Survey, type SurveyedPackage, surveyWorkspace } from '../survey/survey.ts';
import { checkTools, refuseMissing, type ToolCheck } from '../workspace/tools.ts';
import type { Package } from '../workspace/workspace.ts';
import type { BuildJob } from './build-job.ts';
import { type BuiltRelease, buildPackage, listPackage, type ReleaseSelection } from './build-package.ts';
import { type BuildDifference, compareReleases } from './build-twice.ts';
import { Checkouts, type HeldCheckout } from './checkouts.ts';
import { runInOrder } from './schedule.ts';

/** Where a build was sent for other machines. */
export type SentBuild = { readonly store: string; readonly places: readonly string[] };

/** The answer of `build`. */
export type Build = {
  readonly commit: string;
  readonly dirty: boolean;
  readonly releases: readonly BuiltRelease[];
  readonly resting: readonly SurveyedPackage[];
  /** What a second build gave otherwise; null when there was none. */
  readonly twice: { readonly same: boolean; readonly differences: readonly BuildDifference[] } | null;
  /** What would be packed, where only that was asked. */
  readonly selections: readonly ReleaseSelection[] | null;
  /** Only where it was asked for. */
  readonly sent?: SentBuild;
};

/** What `build` may be asked to do otherwise. */
export type BuildOptions = {
  readonly at: string | null;
  /** Tell what would be packed, and pack nothing. */
  readonly list: boolean;
  /** Platforms to build for; empty for this machine's own. */
  readonly platforms: readonly string[];
  /** Packages at work at the same time; null for one per core. */
  readonly jobs: number | null;
  readonly twice: boolean;
  readonly uncommitted: boolean;
};

/** Nothing asked otherwise. */
export const plainBuild: BuildOptions = {
  at: null,
  list: false,
  platforms: [],
  jobs: null,
  twice: false,
  uncommitted: false,
};

/**
 * Builds every package that has something to release, each from a fresh checkout of the commit, into the output folder.
 * A commit that already carries a package's tag gives that very version again.
 * @throws STEP_FAILED with the log's last lines, TOOL_MISSING before anything starts; what was built before it stays.
 */
export async function buildWorkspace(context: Context, options: BuildOptions): Promise<Build> {
  const asked = { ...plainSurvey, at: options.at };
  const clean = await surveyWorkspace(context, asked, options.uncommitted ? 'working-folder' : 'commit');
  const survey = options.uncommitted ? { ...clean, stream: uncommittedStream } : clean;
  const dirty = options.at === null && (await warnAboutDirt(context, survey, options));
  const { repository, config } = survey.workspace;
  const output = await placeInside(repository.root, config.output, '`output`');
  return { ...(await buildSurveyed(context, { survey, options, target: { output, source: survey.commit } })), dirty };
}

/** Where a build goes, and what of it is there already. */
export type BuildTarget = {
  /** Absolute path. */
  readonly output: string;
  /** The commit that was surveyed. */
  readonly source: string;
  /** What was built before and is still whole, by package. */
  readonly built?: ReadonlyMap<string, BuiltRelease>;
};

/** Builds what a survey gives, at the commit that it names. @throws like `buildWorkspace` */
export async function buildSurveyed(
  context: Context,
  {
    survey,
    options,
    target,
  }: { readonly survey: Survey; readonly options: BuildOptions; readonly target: BuildTarget },
): Promise<Build> {
  const plan = makePlan(survey, options);
  refuseUnknownPlatforms(plan, options.platforms);
  const tools = await checkTools(context, survey.workspace.config, plan.packages);
  refuseMissing(tools.missing);
  warnAboutRoot(context, plan.packages);
  const resting = survey.packages.filter(({ own }) => !plan.versions.has(own.index));
  const base = { commit: survey.commit, dirty: false, resting };
  const run: Run = { context, survey, plan, tools, options, source: target.source, warned: new Set() };
  if (options.list) {
    const selections = await runAll(run, '', listPackage);
    return { ...base, releases: [], twice: null, selections };
  }
  const releases = await runAll(
    run,
    '',
    async (job) => target.built?.get(job.pkg.name) ?? buildPackage(job, target.output),
  );
  const twice = options.twice ? await buildAgain(run, releases) : null;
  return { ...base, releases, twice, selections: null };
}

/** Builds once more, at another place with a longer path, and compares. */
async function buildAgain(run: Run, releases: readonly BuiltRelease[]): Promise<Build['twice']> {
  const again = await makeOwnFolder(run.survey.workspace.repository.commonFolder, 'again');
  try {
    const second = await runAll(run, 'at-another-place-', (job) => buildPackage(job, again.folder));
    const differences: BuildDifference[] = [];
    for (const item of releases) {
      const other = second.find((release) => release.package === item.package);
      if (other !== undefined) differences.push(...(await compareReleases(item, other)));
    }
    return { same: differences.length === 0, differences };
  } finally {
    await again.remove();
  }
}

/** The error for two builds that differ; null when they are the same or there was one. */
export function differenceError({ twice }: Build): BevelstoneError | null {
  const [first] = twice?.differences ?? [];
  if (first === undefined) return null;
  return new BevelstoneError('BUILD_DIFFERS', {
    message: `two builds of the same commit differ: ${first.artifact}`,
    why: `the first difference is ${first.entry === null ? 'in the file itself' : `in ${first.entry}`}: ${first.what}`,
    fix: first.fix,
  });
}

/** What is built, with the packages of the plan in its order. */
type Plan = BuildPlan & { readonly packages: readonly Package[] };

type Run = {
  readonly context: Context;
  readonly survey: Survey;
  readonly plan: Plan;
  readonly tools: ToolCheck;
  readonly options: BuildOptions;
  /** The commit that was surveyed. */
  readonly source: string;
  /** Warnings that were given already. */
  readonly warned: Set<string>;
};

const uncommittedStream: Stream = { type: 'preview', name: 'uncommitted', label: 'uncommitted' };

function makePlan({ packages, edges, commit, workspace }: Survey, { uncommitted }: BuildOptions): Plan {
  const plan = planBuild({
    names: workspace.packages.map(({ name }) => name),
    candidates: packages.map(({ own, next, last, changes }) => ({ index: own.index, next, last, changes })),
    edges,
    commit,
    first: workspace.config.history.first,
    uncommitted,
  });
  return { ...plan, packages: plan.order.flatMap((index) => workspace.packages[index] ?? []) };
}

/** Runs one kind of work for every package of the plan, each in a checkout that nothing was done in. */
async function runAll<Done>(run: Run, name: string, work: (job: BuildJob) => Promise<Done>): Promise<Done[]> {
  const { survey, plan, options } = run;
  const built = await makeOwnFolder(survey.workspace.repository.commonFolder, 'built');
  const links = built.folder;
  const folders = new Map<string, string>();
  const { context, warned } = run;
  const checkouts = new Checkouts({ context, survey, warned, name, isUncommitted: options.uncommitted });
  try {
    const sourceTime = await commitTime(survey.workspace.repository.place, survey.commit);
    const schedule = { order: plan.order, needs: plan.needs, jobs: options.jobs ?? processorCount() };
    const done = await runInOrder(schedule, async (index, failed) => {
      const result = await runOne(run, { index, name, failed, links, folders, checkouts, sourceTime, work });
      await linkDependency({ links, folders, name: survey.workspace.packages[index]?.name ?? '', result });
      return result;
    });
    return plan.order.flatMap((index) => (done.has(index) ? [done.get(index) as Done] : []));
  } finally {
    await checkouts.end();
    await built.remove();
  }
}

async function linkDependency({
  links,
  folders,
  name,
  result,
}: {
  readonly links: string;
  readonly folders: Map<string, string>;
  readonly name: string;
  readonly result: unknown;
}): Promise<void> {
  const folder = (result as Partial<BuiltRelease>).folder;
  if (folder === undefined) return;
  folders.set(name, folder);
  await makeLink(folder, path.join(links, fileNameOf(name)));
}

type One<Done> = {
  readonly index: number;
  readonly name: string;
  readonly failed: AbortSignal;
  readonly links: string;
  readonly folders: ReadonlyMap<string, string>;
  readonly checkouts: Checkouts;
  /** When the commit was made, in seconds since 1970. */
  readonly sourceTime: number;
  readonly work: (job: BuildJob) => Promise<Done>;
};

async function runOne<Done>(run: Run, one: One<Done>): Promise<Done> {
  const { index, name, failed, links, folders, checkouts, sourceTime, work } = one;
  const { context, survey, plan, tools, options } = run;
  const item = survey.workspace.packages[index];
  const version = plan.versions.get(index);
  const surveyed = survey.packages.find(({ own }) => own.index === index);
  if (item === undefined || version === undefined || surveyed === undefined) throw new Error('a package got lost');
  const signal = AbortSignal.any([context.signal, failed]);
  signal.throwIfAborted();
  const what = `${options.list ? 'list' : name === '' ? 'build' : 'build again'} ${item.name} ${version}`;
  context.report({ type: 'started', what });
  let held: HeldCheckout | null = null;
  let isDone = false;
  try {
    held = await checkouts.take();
    const { checkout, rewrites } = held;
    const result = await work({
      what,
      context,
      survey,
      surveyed,
      pkg: item,
      version,
      versions: plan.versions,
      platforms: platformsHere(item, options.platforms),
      tools: tools.found.get(item.name) ?? [],
      isUncommitted: options.uncommitted,
      source: run.source,
      sourceTime,
      checkout: checkout.folder,
      folder: await placeInside(checkout.folder, item.folder, `\`folder\` of ${item.name}`),
      out: checkout.out,
      write: (file, text) => rewrites.write(file, text),
      dependencies: { folder: links, folders: new Map(folders) },
      signal,
    });
    isDone = true;
    const made = (result as Partial<BuiltRelease>).artifacts?.map((artifact) => artifact.file).join(', ');
    context.report({
      type: 'finished',
      what,
      ...(made === undefined ? {} : { detail: made || 'no artifact configured' }),
    });
    return result;
  } catch (error) {
    context.report({
      type: 'failed',
      what,
      why: failed.aborted && !context.signal.aborted ? 'another package failed' : 'see below',
    });
    throw error;
  } finally {
    if (held !== null) await checkouts.giveBack(held, item, isDone);
  }
}

/** Those of a package's platforms that were asked for; else this machine's own. */
export function platformsHere(
  { config }: { readonly config: Pick<PackageConfig, 'platforms'> },
  asked: readonly string[],
): string[] {
  const wanted = asked.length > 0 ? asked : [hostPlatform()];
  return config.platforms.filter((platform) => wanted.includes(platform));
}

function refuseUnknownPlatforms({ packages }: Plan, asked: readonly string[]): void {
  const known = [...new Set(packages.flatMap(({ config }) => config.platforms))];
  const unknown = asked.find((platform) => !known.includes(platform));
  if (unknown === undefined) return;
  const near = nearest(unknown, known);
  throw new BevelstoneError('PLATFORM_UNKNOWN', {
    message: `unknown platform ${unknown}`,
    why: known.length === 0 ? 'no package lists `platforms`' : `platforms of this workspace: ${known.join(', ')}`,
    fix: near === null ? 'Use one of them, or add it to `platforms` of a package' : `Did you mean "${near}"?`,
  });
}

async function warnAboutDirt(context: Context, { workspace }: Survey, { uncommitted }: BuildOptions): Promise<boolean> {
  const paths = await uncommittedPaths(workspace.repository.place);
  if (paths.length === 0) return false;
  const verdict = uncommitted ? 'not committed, and in this build' : 'not committed and so not in this build';
  warn(context, `${verdict}: ${some(paths)}`);
  return true;
}

/** A step that runs as root can write anywhere, also where no checkout is removed afterwards. */
function warnAboutRoot(context: Context, packages: readonly Package[]): void {
  if (!isRoot() || packages.every(({ config }) => config.build.length === 0)) return;
  warn(
    context,
    'build steps run as root: files they write outside the checkout remain, and a mistake can damage this machine',
  );
}
