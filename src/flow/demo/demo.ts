import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { parse } from 'yaml';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { startStandin } from '../../standin/server.ts';
import { runCommand } from '../../world/command.ts';
import {
  copyFolder,
  makeFolder,
  makeTemporaryFolder,
  namesIn,
  readText,
  realPath,
  writeWhole,
} from '../../world/files.ts';
import { git } from '../../world/git/run-git.ts';
import { listFiles } from '../../world/list-files.ts';
import { hostPlatform } from '../../world/platform.ts';
import { nodeProgram } from '../../world/program.ts';
import { programFolder } from '../../world/program-folder.ts';
import type { Context } from '../context.ts';
import { listReleases } from '../ledger-record/ledger.ts';
import { type Released, release } from '../release/release.ts';
import { plainSurvey, type Survey, surveyWorkspace } from '../survey/survey.ts';
import { type GitVerification, verifyGit } from '../trial/git/verify-git.ts';
import { checkTools, type MissingTool } from '../workspace/tools.ts';
import { type DemoHistory, writeFastImport } from './demo-history.ts';
import { startSupplies } from './supplies.ts';

/** The whole way, step by step. */
export type Demo = {
  /** The workspace. */
  readonly folder: string;
  /** The stand-in's store, and its token's file. */
  readonly store: string;
  /** Where the stand-in was, and has to be again for the addresses on record. */
  readonly office: string;
  /** The same of the stand-in with third-party packages. */
  readonly supplies: { readonly url: string; readonly store: string };
  readonly survey: Survey;
  /** Tools that are not here, with the packages that were left out for it. */
  readonly missing: readonly MissingTool[];
  /** Platforms that this machine does not build. */
  readonly without: readonly string[];
  readonly released: Released;
  readonly ledger: readonly LedgerRelease[];
  readonly visit: Visit;
  /** What clients get from git, of the packages that need no build there. */
  readonly fromGit: GitVerification;
};

/** What a stranger saw who installed the packages. */
export type Visit =
  | { readonly type: 'installed'; readonly folder: string; readonly client: string; readonly printed: string }
  | { readonly type: 'skipped'; readonly why: string };

/**
 * Lays out the demo workspace and takes it from its history to an install by the real client, against a stand-in.
 * @param folder where to; null for a new folder below the system's temporary one.
 * @throws DEMO_EXISTS when the folder is not empty, TRIAL_FAILED when what was delivered can't be installed or used.
 */
export async function runDemo(context: Context, folder: string | null): Promise<Demo> {
  const top = await makeTop(context, folder);
  const workspace = path.join(top, 'fenmarsh-tides');
  context.report({ type: 'started', what: `lay out ${workspace}` });
  await layOut(context, top, workspace);
  context.report({ type: 'finished', what: `lay out ${workspace}` });
  const store = path.join(top, 'office');
  const token = randomBytes(24).toString('hex');
  context.secrets.add(token);
  await writeWhole(path.join(store, 'token'), `${token}\n`, 0o600);
  const supplies = await startSupplies(top, context.now);
  const standin = await startStandin({
    port: 0,
    store,
    tokens: [{ secret: token, may: 'write', user: 'harbour-desk', only: null }],
    now: context.now,
    upstream: supplies.upstream,
  });
  const registry = `${standin.url}node/`;
  const inside: Context = {
    ...context,
    folder: workspace,
    packages: [],
    configFile: null,
    env: {
      ...context.env,
      TIDE_OFFICE: standin.url,
      TIDE_OFFICE_URL: registry,
      TIDE_OFFICE_TOKEN: token,
      TIDE_SUPPLIES: supplies.standin.url,
      // The stand-in of this very demo; no question is needed.
      BEVELSTONE_TRUST: new URL(standin.url).origin,
    },
  };
  try {
    const survey = await surveyWorkspace(inside, plainSurvey);
    const { missing } = await checkTools(inside, survey.workspace.config, survey.workspace.packages);
    const lacking = new Set(missing.map((missingTool) => missingTool.package));
    for (const { package: what, why } of missing) context.report({ type: 'skipped', what, why });
    const names = survey.packages.map(({ name }) => name).filter((name) => !lacking.has(name));
    // Packages whose tools are not on this machine are left out of everything that follows.
    const able = { ...inside, packages: lacking.size === 0 ? [] : names };
    const platforms = survey.workspace.packages.flatMap(({ config }) => config.platforms);
    const without = [...new Set(platforms)].filter((platform) => platform !== hostPlatform());
    const released = await releaseAll(able, without);
    const ledger = await listReleases(inside);
    const visit = await visitAsStranger(inside, top, registry);
    const fromGit = await verifyGit({ ...inside, packages: [...installedFromGit] }, null);
    const office = standin.url;
    return {
      supplies: { url: supplies.standin.url, store: supplies.store },
      folder: workspace,
      store,
      office,
      survey,
      missing,
      without,
      released,
      ledger,
      visit,
      fromGit,
    };
  } finally {
    await standin.close();
    await supplies.standin.close();
  }
}

/** Packages of the demo that are used as they are in git. */
export const installedFromGit = ['gauges', 'tidemark-py'] as const;

/** The complete release, without questions: everything stays on this machine. */
async function releaseAll(context: Context, without: readonly string[]): Promise<Released> {
  const asked = {
    packages: context.packages,
    exactly: null,
    raise: null,
    because: null,
    branch: null,
    stream: null,
    tagged: null,
    withNeeded: false,
    without,
  };
  const options = {
    asked,
    dryRun: false,
    resume: null,
    again: false,
    handOut: false,
    acceptRebuild: false,
    card: null,
  };
  const released = await release(context, options, {
    gates: async () => {},
    agree: async () => {},
    moved: async () => {},
  });
  if (released.error !== null) throw released.error;
  return released;
}

/** Lays out workspace and remote only: their history is the same on every machine. */
export async function layOut(context: Context, top: string, workspace: string): Promise<void> {
  const source = path.join(programFolder(), 'demo');
  const history = parse(await readText(path.join(source, 'history.yaml'))) as DemoHistory;
  const first = new Map<string, string>();
  for (const { path: file } of await listFiles(path.join(source, 'workspace'))) {
    // Package tools drop a file of that name, so it is kept under another.
    const name = file.replace(/(^|\/)gitignore$/, '$1.gitignore');
    first.set(name, await readText(path.join(source, 'workspace', file)));
  }
  // What the instrument makers publish, beside the workspace: a path that the configuration names.
  await copyFolder(path.join(programFolder(), 'demo', 'upstream'), path.join(top, 'upstream'));
  const remote = path.join(top, 'fenmarsh-tides.git');
  const at = (folder: string) => ({ folder, env: context.env, signal: context.signal });
  await git(at(top), ['init', '--quiet', '--bare', '--initial-branch=main', '--object-format=sha1', remote]);
  await git(at(top), ['init', '--quiet', '--initial-branch=main', '--object-format=sha1', workspace]);
  await git(at(workspace), ['fast-import', '--quiet', '--date-format=raw'], { input: writeFastImport(history, first) });
  for (const [key, value] of [
    ['user.name', 'Harbour desk'],
    ['user.email', 'harbour@fenmarsh.example'],
  ] as const) {
    await git(at(workspace), ['config', key, value]);
  }
  await git(at(workspace), ['reset', '--quiet', '--hard', 'main']);
  await git(at(workspace), ['remote', 'add', 'origin', remote]);
  await git(at(workspace), ['push', '--quiet', '--all', '--set-upstream', 'origin']);
  await git(at(workspace), ['push', '--quiet', '--tags', 'origin']);
}

async function makeTop(context: Context, folder: string | null): Promise<string> {
  if (folder === null) return makeTemporaryFolder('bevelstone-demo-');
  const top = path.resolve(context.folder, folder);
  if ((await namesIn(top)).length > 0) throw notEmpty(top);
  await makeFolder(top);
  return realPath(top);
}

const script = `import { nextHighWater, stations, tideTable } from 'tidemark';
import { parseLog, surge } from 'gauges';

const now = new Date(process.env.TIDE_NOW);
console.log(\`Tide table of \${now.toISOString().slice(0, 10)}, times in UTC\`);
for (const station of Object.values(stations)) {
  const tides = tideTable(station, now).map(({ kind, at, metres }) => \`\${kind.padEnd(4)} \${at.toISOString().slice(11, 16)} \${metres.toFixed(1)} m\`);
  console.log(\`  \${station.name.padEnd(17)} \${tides.join('   ')}\`);
}
const next = nextHighWater(stations.bar, now);
console.log(\`Next high water at the bar: \${next.at.toISOString().slice(0, 16)}Z\`);
const [reading] = surge(parseLog(\`\${now.toISOString().slice(0, 16)}Z 3.1\`), stations.bar);
console.log(\`A gauge that reads 3.1 m now stands \${Math.abs(reading.metres).toFixed(2)} m \${reading.metres < 0 ? 'below' : 'above'} the table\`);
`;

/** Installs by name with the ecosystem's own client in an empty folder and an empty HOME, and uses it. */
async function visitAsStranger(context: Context, top: string, registry: string): Promise<Visit> {
  const [folder, home] = [path.join(top, 'visitor'), path.join(top, 'visitor-home')];
  await makeFolder(folder);
  await makeFolder(home);
  await writeWhole(path.join(folder, 'tide-table.mjs'), script);
  await writeWhole(path.join(folder, 'package.json'), '{ "name": "visitor", "private": true }\n');
  const { signal } = context;
  const env = { PATH: context.env['PATH'] ?? '', HOME: home, TIDE_NOW: context.now().toISOString() };
  const args = [
    'install',
    'tidemark',
    'gauges',
    `--registry=${registry}`,
    '--no-audit',
    '--no-fund',
    '--no-update-notifier',
  ];
  context.report({ type: 'started', what: 'install in an empty folder' });
  const version = await runCommand({ program: 'npm', args: ['--version'], folder, env, signal });
  if (version.type === 'missing') {
    context.report({ type: 'skipped', what: 'install in an empty folder', why: 'there is no npm on the PATH' });
    return { type: 'skipped', why: 'there is no npm on the PATH' };
  }
  const installed = await runCommand({ program: 'npm', args, folder, env, signal });
  if (installed.type === 'missing' || installed.exitCode !== 0)
    throw trialFailed('npm install', installed.type === 'missing' ? '' : installed.all);
  const printed = await runCommand({ program: nodeProgram(), args: ['tide-table.mjs'], folder, env, signal });
  if (printed.type === 'missing' || printed.exitCode !== 0)
    throw trialFailed('the tide table', printed.type === 'missing' ? '' : printed.all);
  context.report({
    type: 'finished',
    what: 'install in an empty folder',
    detail: `npm ${version.type === 'ended' ? version.stdout : ''}`,
  });
  return {
    type: 'installed',
    folder,
    client: `npm ${version.type === 'ended' ? version.stdout : ''}`,
    printed: printed.stdout,
  };
}

function notEmpty(folder: string): BevelstoneError {
  return new BevelstoneError('DEMO_EXISTS', {
    message: `${folder} is not empty`,
    why: 'the demo never overwrites files',
    fix: 'Give a new folder, or none to use a temporary one',
    where: { file: folder },
  });
}

function trialFailed(what: string, output: string): BevelstoneError {
  return new BevelstoneError('TRIAL_FAILED', {
    message: `${what} failed in the visitor's folder`,
    why: output.trim().split('\n').slice(-8).join('\n') || 'it printed nothing',
    fix: 'Run the command there to see more',
  });
}
