import path from 'node:path';
import type { TrialConfig } from '../../core/config/config.ts';
import type { Entry } from '../../core/contents/entry.ts';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { wrongPrintedVersion } from '../../core/plan/printed-version.ts';
import { digestIfThere } from '../../world/file-bytes.ts';
import { makeFolder } from '../../world/files.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { runStep } from '../../world/step.ts';
import type { Context } from '../context.ts';
import type { Client, ClientTool, Installed, Stage, Wanted } from './client/client.ts';
import { clientFor } from './client/clients.ts';

/** One step on the way to a user. */
export type TrialStep = {
  readonly client: string;
  readonly version: string;
  readonly destination: string;
  readonly state: 'delivered' | 'visible' | 'installed' | 'failed' | 'not-here';
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
};

/** How long one trial command may take. */
const trialMs = 10 * 60_000;

/** Client and versions that a release is tried with at a destination: its `trial`, or the usual client without commands. */
export function trialsFor(
  trial: readonly TrialConfig[],
  wanted: Wanted,
): { client: Client; version: string | null; run: readonly string[] }[] {
  const usual = clientFor(wanted.offer.config.speaks);
  const own = trial.filter(({ client }) => client === null || client === usual.name);
  // Commands without a client belong to the ecosystem's own: files that are fetched beside are unpacked, and that is all.
  const isNamed = trial.some(({ client }) => client === usual.name);
  const chosen = !usual.installsByName && !isNamed && !isOnlyWay(wanted) ? [] : own;
  const plain = chosen.filter(({ client, versions }) => client === null && versions.length === 0);
  const named = chosen.filter((trial) => !plain.includes(trial));
  const all: TrialConfig[] = [
    ...(plain.length > 0 || named.length === 0
      ? [{ client: null, versions: [], run: plain.flatMap(({ run }) => run) }]
      : []),
    ...named,
  ];
  return all.flatMap(({ versions, run }) =>
    (versions.length === 0 ? [null] : versions).map((version) => ({ client: usual, version, run })),
  );
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
  }: { readonly client: Client; readonly version: string | null; readonly run: readonly string[] },
  { wanted, entriesOf, commonFolder }: TrialInput,
): Promise<TrialStep> {
  const [first] = wanted;
  const destination = first?.offer.destination ?? '';
  const own = await makeOwnFolder(commonFolder, 'trial');
  try {
    const stage = await makeStage(context, own.folder);
    const tool = await client.find(version, stage.env, context.signal);
    if (tool === null) {
      const why = `there is no ${client.name}${version === null ? '' : ` with ${version}`} here`;
      return { client: client.name, version: version ?? '', destination, state: 'not-here', why };
    }
    const why = await installAndRun(stage, { client, tool, run, wanted, entriesOf });
    return {
      client: client.name,
      version: tool.version,
      destination,
      state: why === null ? 'installed' : 'failed',
      why,
    };
  } finally {
    await own.remove();
  }
}

async function makeStage({ env, signal }: Context, top: string): Promise<Stage> {
  const [folder, home] = [path.join(top, 'visitor'), path.join(top, 'home')];
  await makeFolder(folder);
  await makeFolder(home);
  // Nothing of the maintainer's but where programs are: no settings, no caches, no credentials.
  return { folder, home, env: { PATH: env['PATH'] ?? '', HOME: home, LC_ALL: 'C.UTF-8', TZ: 'UTC' }, signal };
}

type Attempt = {
  readonly client: Client;
  readonly tool: ClientTool;
  readonly run: readonly string[];
  readonly wanted: readonly Wanted[];
  readonly entriesOf: EntriesOf;
};

/** @returns null when all went well, else what went wrong. */
async function installAndRun(stage: Stage, { client, tool, run, wanted, entriesOf }: Attempt): Promise<string | null> {
  const installed = await client.install(tool, stage, wanted);
  if (installed.type === 'failed') return `it cannot be installed: ${installed.why}`;
  const different = await compareTrees(installed, wanted, entriesOf);
  if (different !== null) return different;
  for (const [index, line] of run.entries()) {
    const log = path.join(stage.home, `trial-${index}.log`);
    const env = { ...stage.env, ...installed.env };
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
    for (const { path: inside, type, sha256 } of (await entriesOf(tree.artifact)) ?? []) {
      if (type !== 'file' || !inside.startsWith(tree.prefix) || isRewritten(inside)) continue;
      const digest = await digestIfThere(path.join(tree.folder, inside.slice(tree.prefix.length)));
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
