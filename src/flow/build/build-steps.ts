import path from 'node:path';
import type { StepConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import { formatDuration } from '../../core/text/duration.ts';
import type { Confinement } from '../../world/confinement.ts';
import { exists } from '../../world/files.ts';
import { runStep } from '../../world/step.ts';
import { warn } from '../context.ts';
import { withoutCredentials } from '../workspace/credential-variables.ts';
import type { BuildJob } from './build-job.ts';
import { confineSteps, temporaryFor } from './confine-steps.ts';
import { otherInterpreter } from './note-interpreter.ts';
import type { StepPlace } from './step-place.ts';

/** The place of the steps of a package that is built from a checkout. */
export function placeOfJob(job: BuildJob): StepPlace {
  const { context, survey, pkg, version, sourceTime, folder, out, dependencies, signal } = job;
  const { config, repository } = survey.workspace;
  return {
    ...{ context, version, sourceTime, folder, out, dependencies, signal, tools: job.tools },
    package: pkg.name,
    commit: survey.commit,
    logs: path.join(repository.commonFolder, 'bevelstone', 'logs'),
    env: withoutCredentials(context.env, config),
    config: pkg.config,
  };
}

/** One run of a step: on its own, or for one of the platforms. */
export type StepRun = { readonly step: StepConfig; readonly index: number; readonly platform: string | null };

/**
 * The steps in their order; one that is for a platform or names `{platform}` runs once for each platform built here, and one
 * for a platform that is not is left out.
 */
export function stepRuns(steps: readonly StepConfig[], platforms: readonly string[]): StepRun[] {
  return steps.flatMap((step, index): StepRun[] => {
    if (step.for !== null) return platforms.includes(step.for) ? [{ step, index, platform: step.for }] : [];
    const names = [step.run, step.in, ...Object.values(step.env)].some((text) => text.includes('{platform}'));
    if (!names || platforms.length === 0) return [{ step, index, platform: null }];
    return platforms.map((platform) => ({ step, index, platform }));
  });
}

/** Runs one step. @throws STEP_FAILED with the log's last lines. */
async function runBuildStep(
  job: StepPlace,
  { step, index, platform }: StepRun,
  confinement: Confinement,
): Promise<void> {
  const { context, package: pkg, version, folder } = job;
  const what = `${pkg}: ${step.name}${platform === null ? '' : ` for ${platform}`}`;
  const fill = placeholders(job, platform);
  const name = [fileNameOf(pkg), version, 'step', index + 1, ...(platform === null ? [] : [platform])].join('-');
  const log = path.join(job.logs, `${name}.log`);
  const place = path.join(folder, fill(step.in));
  if (!(await exists(place))) throw noStepFolder(step, index, job);
  const own = Object.fromEntries(Object.entries(step.env).map(([key, value]) => [key, fill(value)]));
  const env = { ...stepEnvironment(job, own), ...(platform === null ? {} : { BEVELSTONE_PLATFORM: platform }) };
  const other = await otherInterpreter({ run: fill(step.run), folder: place, env, tools: job.tools });
  if (other !== null) warn(context, `${what}: ${other}`);
  context.report({ type: 'started', what });
  const limits = { signal: job.signal, timeoutMs: step['at-most'], confinement };
  const run = { run: fill(step.run), folder: place, env, log, ...limits };
  const end = await runStep(run).catch((error: unknown) => {
    context.report({ type: 'failed', what, why: 'it was stopped' });
    throw error;
  });
  if (end.exitCode === 0 && !end.isLate) return context.report({ type: 'finished', what });
  const limit = formatDuration(step['at-most']);
  const how = end.isLate
    ? `took longer than ${limit}`
    : `ended with ${end.exitCode === null ? 'a signal' : `exit code ${end.exitCode}`}`;
  context.report({ type: 'failed', what, why: `it ${how}` });
  throw new BevelstoneError('STEP_FAILED', {
    message: `build step ${index + 1} of ${pkg}, \`${step.name}\`, ${how}`,
    why: ['last lines of its output:', ...end.tail.map((line) => `| ${line}`)].join('\n'),
    fix: `Full log: ${log}\n${
      end.isLate
        ? 'Then make the step faster, or give it more time with `at-most`'
        : 'Then correct the step or what it builds, commit, and build again'
    }`,
  });
}

/** Fills `{version} {platform} {commit} {out}`. */
function placeholders({ version, commit, out }: StepPlace, platform: string | null): (text: string) => string {
  const values: Readonly<Record<string, string>> = { version, platform: platform ?? '', commit, out };
  return (text) => text.replace(/\{(version|platform|commit|out)\}/g, (_, name: string) => values[name] ?? '');
}

/** The caller's environment without credentials, and what a step may want to know. */
function stepEnvironment(
  { env, config, version, commit, out, sourceTime, dependencies }: StepPlace,
  own: Readonly<Record<string, string>>,
): Record<string, string> {
  const inherited = Object.entries(env).filter(([name]) => !name.startsWith('npm_'));
  const built = [...dependencies.folders].map(([name, folder]) => [dependencyVariable(name), folder] as const);
  return {
    ...Object.fromEntries(inherited),
    LC_ALL: 'C',
    TZ: 'UTC',
    ...(config.path === null ? {} : { PATH: config.path.join(path.delimiter) }),
    ...(config.contained ? { TMPDIR: temporaryFor({ out }) } : {}),
    ...own,
    SOURCE_DATE_EPOCH: String(sourceTime),
    // A package called "for" does not replace what the variable below always means.
    ...Object.fromEntries(built),
    BEVELSTONE_VERSION: version,
    BEVELSTONE_COMMIT: commit,
    BEVELSTONE_BUILT_FOR: config['built-for'],
    BEVELSTONE_OUT: out,
    BEVELSTONE_BUILT: dependencies.folder,
  };
}

/** `BEVELSTONE_BUILT_TIDEMARK_PY` for the package tidemark-py. */
function dependencyVariable(name: string): string {
  return `BEVELSTONE_BUILT_${name
    .toUpperCase()
    .replace(/[^A-Z0-9]+/g, '_')
    .replace(/^_+/, '')}`;
}

function noStepFolder(step: StepConfig, index: number, { package: pkg }: StepPlace): BevelstoneError {
  return new BevelstoneError('STEP_FAILED', {
    message: `build step ${index + 1} of ${pkg}, \`${step.name}\`, cannot start`,
    why: `the checkout has no folder ${step.in} in the package's folder`,
    fix: 'Correct `in` of the step, or create the folder in an earlier step',
    where: { file: 'bevelstone.yaml' },
  });
}

/** Runs the steps of a package in their order. @throws STEP_FAILED @param after is called behind each of them. */
export async function runSteps(
  place: StepPlace,
  runs: readonly StepRun[],
  after: (step: StepConfig) => Promise<void> = async () => {},
): Promise<void> {
  if (runs.length === 0) return;
  const confinement = await confineSteps(place);
  for (const run of runs) {
    await runBuildStep(place, run, confinement);
    await after(run.step);
  }
}
