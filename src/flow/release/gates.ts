import path from 'node:path';
import { destinationsOf, type PackageConfig } from '../../core/config/config.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { formDefinitions, isSbom } from '../../core/form/definitions.ts';
import type { Ecosystem } from '../../core/name/ecosystem.ts';
import { untestedTexts } from '../../core/protocol/untested.ts';
import { some } from '../../core/text/some.ts';
import { formatTag } from '../../core/version/tag-pattern.ts';
import { identityProblem, pushProblem, signingProblem } from '../../world/git/push-rights.ts';
import { readRemoteRefs } from '../../world/git/remote-refs.ts';
import { readLocalTag } from '../../world/git/remote-tags.ts';
import { uncommittedPaths } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { checkOut } from '../../world/git/worktree.ts';
import { hostPlatform } from '../../world/platform.ts';
import { runStep } from '../../world/step.ts';
import { platformsHere } from '../build/build.ts';
import { pendingOf } from '../build/build-package.ts';
import { type Context, warn } from '../context.ts';
import { probeSurveyed } from '../deliver/probe.ts';
import type { Survey } from '../survey/survey.ts';
import { withoutCredentials } from '../workspace/credential-variables.ts';
import { checkTools } from '../workspace/tools.ts';
import type { Releasing } from './releasing.ts';

/** Something that must hold before a release: null when it does, else why not and what to do. */
export type Gate = {
  readonly gate: string;
  readonly trouble: { readonly why: string; readonly fix: string } | null;
  /** What a gate that is open could not test, one sentence each. */
  readonly untested?: readonly string[];
};

/** What the gates look at. */
export type GateInput = {
  readonly survey: Survey;
  readonly releasing: readonly Releasing[];
  readonly remote: string | null;
  /** Whether tags are made and pushed; a release of an existing tag makes none. */
  readonly makesTags: boolean;
  readonly run: string;
  /** Platforms that are left out on purpose. */
  readonly without: readonly string[];
  /** Whether other machines build parts of it. */
  readonly isHandedOut: boolean;
  /** A dry run writes nothing at destinations. */
  readonly isDry: boolean;
};

type Trouble = Gate['trouble'];

/** Checks all gates at once, so that all problems are reported together. */
export async function askGates(context: Context, input: GateInput): Promise<Gate[]> {
  const { config } = input.survey.workspace;
  const remoteHead = await askRemote(input);
  const asked: [string, Promise<Trouble>][] = [
    ['branch', input.makesTags ? branchGate(input) : holds()],
    ['clean tree', config.gates.clean ? cleanGate(input) : holds()],
    ['remote', remoteGate(input, remoteHead)],
    ['in step', config.gates['in-step'] && input.makesTags ? inStepGate(input, remoteHead) : holds()],
    ['committer', identityGate(input)],
    ['signing', config['write-back'].sign && input.makesTags ? signingGate(input) : holds()],
    ['push', input.makesTags ? pushGate(input, remoteHead) : holds()],
    ['tags free', input.makesTags ? tagGate(input) : holds()],
    ['tools', toolGate(context, input)],
    ['publishable', publishGate(input)],
    ['platforms', input.isHandedOut ? holds() : platformGate(input)],
  ];
  const answered: Gate[] = await Promise.all([
    ...asked.map(async ([gate, answer]) => ({ gate, trouble: await answer })),
    destinationGate(context, input),
  ]);
  // Only now: git may hand credentials to its helpers while it asks the remote, and a test could look at them.
  const tested = await Promise.all(
    config.gates.run.map(async (line, index) => ({
      gate: line,
      trouble: await testGate(context, { input, line, index }),
    })),
  );
  return [...answered, ...tested];
}

/** @throws GATES_REFUSED listing every gate that does not hold. */
export function refuseGates(gates: readonly Gate[]): void {
  const refused = gates.flatMap(({ gate, trouble }) => (trouble === null ? [] : [{ gate, ...trouble }]));
  const [first] = refused;
  if (first === undefined) return;
  throw new BevelstoneError('GATES_REFUSED', {
    message:
      refused.length === 1
        ? `The gate "${first.gate}" is shut`
        : `${refused.length} gates are shut: ${refused.map(({ gate }) => gate).join(', ')}`,
    why: refused.map(({ gate, why }) => `${gate}: ${why}`).join('\n'),
    fix: refused.length === 1 ? first.fix : 'Fix each, then release again; nothing was built or changed',
    problems:
      refused.length === 1
        ? []
        : refused.map(({ gate, why, fix }) => ({
            code: 'GATES_REFUSED' as const,
            message: `${gate}: ${why}`,
            fix,
            where: null,
          })),
  });
}

type RemoteAnswer = { readonly head: string | null; readonly problem: string | null };

const holds = async (): Promise<Trouble> => null;

/** What the remote's branch is at. */
async function askRemote({ survey, remote }: GateInput): Promise<RemoteAnswer> {
  const { place } = survey.workspace.repository;
  if (remote === null || survey.branch === null) return { head: null, problem: null };
  try {
    const ref = `refs/heads/${survey.branch}`;
    return { head: (await readRemoteRefs(place, remote, [ref])).get(ref) ?? null, problem: null };
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return { head: null, problem: error.why };
  }
}

async function branchGate({ survey: { branch, stream } }: GateInput): Promise<Trouble> {
  if (branch === null)
    return {
      why: 'HEAD is detached, so no stream applies',
      fix: 'Check out a branch, or name it: --branch NAME, or BEVELSTONE_BRANCH in CI',
    };
  if (stream.type !== 'preview') return null;
  return {
    why: `${branch} uses the stream ${stream.name}, which only makes previews`,
    fix: 'Use a branch of another stream, or publish the preview to a folder with build and publish',
  };
}

async function cleanGate({ survey }: GateInput): Promise<Trouble> {
  const paths = await uncommittedPaths(survey.workspace.repository.place);
  if (paths.length === 0) return null;
  return { why: `not committed: ${some(paths, 5)}`, fix: 'Commit it, put it aside, or add it to .gitignore' };
}

async function remoteGate({ remote }: GateInput, { problem }: RemoteAnswer): Promise<Trouble> {
  if (remote === null)
    return {
      why: 'there is no remote, so others could not fetch the released commit',
      fix: 'Add one with git remote add and push the branch',
    };
  if (problem === null) return null;
  return { why: `${remote} cannot be reached: ${problem}`, fix: 'Check the network and your read access' };
}

async function inStepGate({ survey, remote }: GateInput, { head }: RemoteAnswer): Promise<Trouble> {
  if (head === null || head === survey.commit) return null;
  const { place } = survey.workspace.repository;
  const asked = await git(place, ['merge-base', '--is-ancestor', head, survey.commit], { allow: [1, 128] });
  if (asked.exitCode === 0) return null;
  return { why: `${remote} has commits of ${survey.branch} that are not here`, fix: 'Run: git pull' };
}

async function identityGate({ survey }: GateInput): Promise<Trouble> {
  const problem = await identityProblem(survey.workspace.repository.place);
  if (problem === null) return null;
  return {
    why: `git has no identity for commits and tags: ${problem}`,
    fix: 'Set user.name and user.email with git config, or GIT_COMMITTER_NAME and GIT_COMMITTER_EMAIL (and GIT_AUTHOR_…) in CI',
  };
}

async function signingGate({ survey }: GateInput): Promise<Trouble> {
  const problem = await signingProblem(survey.workspace.repository.place);
  if (problem === null) return null;
  return { why: problem, fix: "Set git's own signing up (user.signingKey, gpg.format), or `write-back.sign: false`" };
}

async function pushGate({ survey, remote }: GateInput, { head, problem: unasked }: RemoteAnswer): Promise<Trouble> {
  const { branch, workspace } = survey;
  if (remote === null || branch === null || unasked !== null) return null;
  const refs = [`${survey.commit}:refs/heads/${branch}`, `${survey.commit}:refs/tags/bevelstone-may-push`];
  const problem = await pushProblem(workspace.repository.place, remote, head === null ? refs : refs.slice(1));
  if (problem === null) return null;
  return {
    why: `${remote} rejects pushes: ${problem}`,
    fix: 'Allow this account to push the branch and tags, or set `write-back.commit: false`, which needs tags only',
  };
}

async function tagGate({ survey, releasing, remote }: GateInput): Promise<Trouble> {
  const { place } = survey.workspace.repository;
  const tags = releasing.map(({ pkg, version }) => formatTag(pkg, version));
  const local = await Promise.all(tags.map(async (tag) => ((await readLocalTag(place, tag)) === null ? [] : [tag])));
  const refs = tags.map((tag) => `refs/tags/${tag}`);
  const there = remote === null ? new Map() : await readRemoteRefs(place, remote, refs).catch(() => new Map());
  const taken = [...new Set([...local.flat(), ...[...there.keys()].map((ref: string) => ref.slice(10))])];
  if (taken.length === 0) return null;
  return { why: `taken already: ${taken.join(', ')}`, fix: 'Run: git fetch --tags, and look at what was released' };
}

async function toolGate(context: Context, { survey, releasing }: GateInput): Promise<Trouble> {
  const packages = releasing.map(({ pkg }) => pkg);
  const { missing } = await checkTools(context, survey.workspace.config, packages);
  if (missing.length === 0) return null;
  return {
    why: missing.map((missingTool) => `${missingTool.package}: ${missingTool.why}`).join('; '),
    fix: 'Install them, or select packages whose tools are installed with -p',
  };
}

/** A manifest may forbid what is about to happen; an exception for the rule of that name lets it. */
async function publishGate({ releasing }: GateInput): Promise<Trouble> {
  const forbidden = releasing.filter(({ pkg: { forbidden, ecosystem, config } }) => {
    const rule = `${ecosystem}/private`;
    const { rules, exceptions } = config.verify;
    const isAllowed = rules[rule] !== undefined || exceptions.some((exception) => exception.rule === rule);
    return forbidden !== null && !isAllowed && isSentAsPackage(config, ecosystem);
  });
  const [first] = forbidden;
  if (first === undefined) return null;
  return {
    why: forbidden.map(({ pkg }) => `${pkg.manifestPath}: ${pkg.forbidden}`).join('; '),
    fix: `Change the manifest if ${first.pkg.name} is meant to be published, or take it out of \`packages\``,
  };
}

/** Whether an artifact that the ecosystem's clients install goes anywhere. */
function isSentAsPackage(config: PackageConfig, ecosystem: Ecosystem): boolean {
  return (
    destinationsOf(config).length > 0 &&
    config.artifacts.some(({ form }) => formDefinitions[form].ecosystem === ecosystem && !isSbom({ form }))
  );
}

async function platformGate({ releasing, without }: GateInput): Promise<Trouble> {
  const pending = releasing.flatMap(({ pkg }) =>
    pendingOf({ pkg, platforms: platformsHere(pkg, []) })
      .filter(({ platform }) => !without.includes(platform))
      .map(({ form, platform }) => ({ text: `${pkg.name} ${form} for ${platform}`, platform })),
  );
  const [first] = pending;
  if (first === undefined) return null;
  return {
    why: `this machine is ${hostPlatform()} and cannot build ${pending.map(({ text }) => text).join(', ')}`,
    fix: `Build those artifacts on a matching machine, or release without them: --without ${first.platform}`,
  };
}

async function destinationGate(context: Context, { survey, releasing, isDry }: GateInput): Promise<Gate> {
  const gate = 'destinations';
  const names = new Set(releasing.map(({ pkg }) => pkg.name));
  const own: Survey = { ...survey, packages: survey.packages.filter(({ name }) => names.has(name)) };
  const without = releasing.filter(({ pkg }) => pkg.config['send-to'] === null).map(({ pkg }) => pkg.name);
  if (without.length > 0)
    return {
      gate,
      trouble: {
        why: `${without.join(', ')} ${without.length === 1 ? 'has' : 'have'} no \`send-to\`, so nothing would be delivered`,
        fix: 'Add `send-to: [DESTINATION]` to the package, or `send-to: []` if only a tag and a record are wanted, and commit bevelstone.yaml',
      },
    };
  const asked = { destinations: [], keep: null, mayWrite: !isDry, lists: false };
  const { error, destinations } = await probeSurveyed(context, own, asked);
  const untested = untestedTexts(destinations);
  if (untested.length > 0) warn(context, `not tested: ${untested.join('; ')}`);
  return { gate, trouble: error === null ? null : { why: error.why, fix: error.fix }, untested };
}

/** One command of `gates.run`, in a fresh checkout unless the working folder was asked for. */
async function testGate(
  context: Context,
  { input, line, index }: { readonly input: GateInput; readonly line: string; readonly index: number },
): Promise<Trouble> {
  const { repository, config } = input.survey.workspace;
  const isInside = config.gates['run-in'] === 'working-folder';
  const env = { ...withoutCredentials(context.env, config), LC_ALL: 'C', TZ: 'UTC' } as Record<string, string>;
  const log = path.join(repository.commonFolder, 'bevelstone', 'logs', `${input.run}-gate-${index + 1}.log`);
  const checkout = isInside
    ? null
    : await checkOut({ ...repository, place: { ...repository.place, env } }, input.survey.commit, 'gate-');
  context.report({ type: 'started', what: line });
  try {
    const folder = checkout?.folder ?? repository.root;
    const end = await runStep({ run: line, folder, env, log, signal: context.signal, timeoutMs: 60 * 60_000 });
    if (end.exitCode === 0) {
      context.report({ type: 'finished', what: line });
      return null;
    }
    context.report({ type: 'failed', what: line, why: 'see below' });
    const why = [`it ended with ${end.exitCode ?? 'a signal'}; its last lines:`, ...end.tail.slice(-6)].join('\n  | ');
    return { why, fix: `Full log: ${log}` };
  } finally {
    await checkout?.remove();
  }
}
