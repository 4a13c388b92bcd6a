import path from 'node:path';
import type { TrialConfig } from '../../core/config/config.ts';
import { commonFolder, type Entry } from '../../core/contents/entry.ts';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { wrongPrintedVersion } from '../../core/plan/printed-version.ts';
import { digestIfThere } from '../../world/file-bytes.ts';
import { exists, makeFolder } from '../../world/files.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { freePort, startServer, waitForAnswer } from '../../world/server-step.ts';
import { runStep } from '../../world/step.ts';
import type { Context } from '../context.ts';
import type { InstalledPlaces } from '../sbom/installed-facts.ts';
import type { Client, ClientTool, Installed, InstalledTree, Stage, Wanted } from './client/client.ts';
import { clientFor } from './client/clients.ts';
import { missingNames } from './outside.ts';

/** One step on the way to a user. */
export type TrialStep = {
  readonly client: string;
  readonly version: string;
  readonly destination: string;
  /** `unpacked`: fetched, its digest checked, and unpacked; no program installed it. */
  readonly state: 'delivered' | 'visible' | 'installed' | 'unpacked' | 'failed' | 'not-here';
  readonly why: string | null;
};

/** The recorded entries of an artifact by its name; null when none are on record. */
export type EntriesOf = (artifact: string) => Promise<readonly Entry[] | null>;

/** What is installed, and what it is compared with. */
export type TrialInput = {
  readonly wanted: readonly Wanted[];
  readonly entriesOf: EntriesOf;
  /** Git folder of the workspace, where temporary folders are written down. */
  readonly commonFolder: string;
  /** Names that an install needs from elsewhere: when it fails, they are asked for. */
  readonly outside: readonly string[];
  /** Looks at what was installed. @returns what is wrong with it; null for nothing. */
  readonly inspect?: (places: InstalledPlaces, trees: readonly InstalledTree[]) => Promise<string | null>;
};

/** Commands of one entry of `trial`, and the server that they need. */
export type TrialRun = {
  readonly lines: readonly string[];
  readonly server: { readonly start: string; readonly until: string } | null;
};

/** How long a server may take until it answers. */
const startMs = 60_000;

/** How long one trial command may take. */
const trialMs = 10 * 60_000;

/** Client and versions that a release is tried with at a destination: its `trial`, or the usual client without commands. */
export function trialsFor(
  trial: readonly TrialConfig[],
  wanted: Wanted,
): { client: Client; version: string | null; run: readonly TrialRun[] }[] {
  const usual = clientFor(wanted.offer.config.speaks);
  const own = trial.filter(({ client }) => client === null || client === usual.name);
  // Commands without a client belong to the ecosystem's own: files that are fetched beside are unpacked, and that is all.
  const isNamed = trial.some(({ client }) => client === usual.name);
  const chosen = !usual.installsByName && !isNamed && !isOnlyWay(wanted) ? [] : own;
  const plain = chosen.filter(({ client, versions }) => client === null && versions.length === 0);
  const named = chosen.filter((trial) => !plain.includes(trial));
  const all = [
    ...(plain.length > 0 || named.length === 0 ? [{ versions: [], run: runsOf(plain) }] : []),
    ...named.map((trial) => ({ versions: trial.versions, run: runsOf([trial]) })),
  ];
  return all.flatMap(({ versions, run }) =>
    (versions.length === 0 ? [null] : versions).map((version) => ({ client: usual, version, run })),
  );
}

/** The commands of entries, each with its own server. */
export function runsOf(trials: readonly TrialConfig[]): TrialRun[] {
  return trials.map(({ run, start, until }) => ({
    lines: run,
    server: start === null || until === null ? null : { start, until },
  }));
}

/** Whether a package is only ever fetched: no ecosystem has a client of its own for it. */
function isOnlyWay({ offer }: Wanted): boolean {
  return ecosystemDefinitions[offer.release.about.ecosystem].client === null;
}

/** Installs releases in an empty folder with an empty HOME and runs the trial commands there. */
export async function tryOut(
  context: Context,
  {
    client,
    version,
    run,
  }: { readonly client: Client; readonly version: string | null; readonly run: readonly TrialRun[] },
  { commonFolder, ...input }: TrialInput,
): Promise<TrialStep> {
  const [first] = input.wanted;
  const destination = first?.offer.destination ?? '';
  const own = await makeOwnFolder(commonFolder, 'trial');
  try {
    const stage = await makeStage(context, own.folder);
    const tool = await client.find(version, stage.env, context.signal);
    if (tool === null) {
      const why = `there is no ${client.name}${version === null ? '' : ` with ${version}`} here`;
      return { client: client.name, version: version ?? '', destination, state: 'not-here', why };
    }
    const { why, isInstalled } = await installAndRun(stage, { client, tool, run, ...input });
    return {
      client: client.name,
      version: tool.version,
      destination,
      state: why !== null ? 'failed' : isInstalled ? 'installed' : 'unpacked',
      why,
    };
  } finally {
    await own.remove();
  }
}

/** An empty folder with an empty HOME below another one. */
export async function makeStage({ env, signal }: Context, top: string): Promise<Stage> {
  const [folder, home] = [path.join(top, 'visitor'), path.join(top, 'home')];
  await makeFolder(folder);
  await makeFolder(home);
  // Nothing of the maintainer's but where programs are: no settings, no caches, no credentials.
  const usual = { PATH: env['PATH'] ?? '', HOME: home, LC_ALL: 'C.UTF-8', TZ: 'UTC' };
  return { folder, home, env: { ...usual, ...(await rustPrograms(env)) }, signal };
}

/**
 * A `cargo` that leads to one of several keeps them below a folder of its own: named, in the HOME that a stage does not have, or
 * beside the folder that it lies in itself.
 */
async function rustPrograms(env: Context['env']): Promise<Record<string, string>> {
  const beside = (env['PATH'] ?? '').split(path.delimiter).filter((folder) => folder.endsWith('/.cargo/bin'));
  const places = [
    env['RUSTUP_HOME'],
    path.join(env['HOME'] ?? '/', '.rustup'),
    ...beside.map((folder) => path.resolve(folder, '../../.rustup')),
  ];
  for (const place of places) if (place !== undefined && (await exists(place))) return { RUSTUP_HOME: place };
  return {};
}

type Attempt = Omit<TrialInput, 'commonFolder'> & {
  readonly client: Client;
  readonly tool: ClientTool;
  readonly run: readonly TrialRun[];
};

/** @returns `why`: what went wrong; null when all went well. */
async function installAndRun(
  stage: Stage,
  { client, tool, run, wanted, entriesOf, outside, inspect = async () => null }: Attempt,
): Promise<{ readonly why: string | null; readonly isInstalled: boolean }> {
  const installed = await client.install(tool, stage, wanted);
  if (installed.type === 'failed') {
    const missing = wanted[0] === undefined ? [] : await missingNames(wanted[0], outside);
    const why =
      missing.length > 0
        ? `it needs ${missing.join(', ')}, which ${missing.length === 1 ? 'is' : 'are'} not there`
        : installed.why;
    return { why: `it cannot be installed: ${why}`, isInstalled: false };
  }
  const { isInstalled = true } = installed;
  const why =
    (await compareTrees(installed, wanted, entriesOf)) ??
    (await inspect(stage, installed.trees)) ??
    (await runAll(stage, { run, wanted, installed }));
  return { why, isInstalled };
}

/** Runs the commands of a trial. @returns what went wrong; null for nothing. */
async function runAll(
  stage: Stage,
  {
    run,
    wanted,
    installed,
  }: Pick<Attempt, 'run' | 'wanted'> & { readonly installed: Extract<Installed, { readonly type: 'installed' }> },
): Promise<string | null> {
  for (const [index, { lines, server }] of run.entries()) {
    const env = { ...stage.env, ...installed.env };
    const start = path.join(stage.home, `trial-${index}`);
    const why =
      server === null
        ? await runLines(stage, { lines, env, start, wanted })
        : await runBeside(stage, { lines, server, env, start, wanted });
    if (why !== null) return why;
  }
  return null;
}

type Lines = {
  readonly lines: readonly string[];
  readonly env: Readonly<Record<string, string>>;
  /** How the names of log files begin. */
  readonly start: string;
  readonly wanted: readonly Wanted[];
};

/** Runs commands beside a server that is stopped afterwards, whatever came of them. */
async function runBeside(
  stage: Stage,
  { lines, server, env, start, wanted }: Lines & { readonly server: NonNullable<TrialRun['server']> },
): Promise<string | null> {
  const port = String(await freePort());
  const fill = (text: string) => text.replaceAll('{port}', port);
  const [run, until] = [fill(server.start), fill(server.until)];
  const log = `${start}-server.log`;
  const running = startServer({ run, folder: stage.folder, env, log, signal: stage.signal, timeoutMs: trialMs });
  try {
    const isUp = await waitForAnswer(until, {
      hasEnded: () => running.ended() !== null,
      withinMs: startMs,
      signal: stage.signal,
    });
    const end = running.ended();
    if (end !== null) return `${run} ended with ${end.exitCode} before ${until} answered: ${end.tail.join('\n')}`;
    if (!isUp) return `${until} did not answer within a minute after ${run}`;
    return await runLines(stage, { lines: lines.map(fill), env, start, wanted });
  } finally {
    await running.stop();
  }
}

async function runLines(stage: Stage, { lines, env, start, wanted }: Lines): Promise<string | null> {
  for (const [index, line] of lines.entries()) {
    const log = `${start}-${index}.log`;
    const end = await runStep({ run: line, folder: stage.folder, env, log, signal: stage.signal, timeoutMs: trialMs });
    if (end.isLate) return `${line} took longer than ten minutes`;
    if (end.exitCode !== 0) return `${line} ended with ${end.exitCode}: ${end.tail.join('\n')}`;
    const versions = wanted.flatMap(({ offer: { release } }) => [
      release.version,
      ...Object.values(release.about.spellings),
    ]);
    const wrong = wrongPrintedVersion(line, end.tail, versions);
    if (wrong !== null) return `${line}: ${wrong}`;
  }
  return null;
}

/** Compares what was installed with what is on record. @returns null when nothing differs. */
async function compareTrees(
  installed: Extract<Installed, { type: 'installed' }>,
  wanted: readonly Wanted[],
  entriesOf: EntriesOf,
): Promise<string | null> {
  for (const tree of installed.trees) {
    if (tree.type === 'file') {
      const record = wanted.flatMap(({ offer }) => offer.delivered).find(({ artifact }) => artifact === tree.artifact);
      if (record !== undefined && (await digestIfThere(tree.file)) !== record.sha256)
        return `${tree.artifact} came with other bytes`;
      continue;
    }
    const entries = (await entriesOf(tree.artifact)) ?? [];
    const prefix = tree.prefix ?? commonFolder(entries);
    for (const { path: inside, type, sha256 } of entries) {
      if (type !== 'file' || !inside.startsWith(prefix) || isRewritten(inside)) continue;
      const digest = await digestIfThere(path.join(tree.folder, inside.slice(prefix.length)));
      if (digest !== sha256)
        return `${inside} of ${tree.artifact} is ${digest === null ? 'missing' : 'another'} after the install`;
    }
  }
  return null;
}

/** What an installer writes itself: the list of files, and what a wheel puts elsewhere (PEP 427, "The .data directory"). */
function isRewritten(inside: string): boolean {
  return /^[^/]+\.dist-info\/RECORD$/.test(inside) || /^[^/]+\.data\//.test(inside);
}
