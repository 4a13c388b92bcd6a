import path from 'node:path';
import type { Ecosystem } from '../../../core/name/ecosystem.ts';
import { reasonIn } from '../../../core/text/client-reason.ts';
import { gitUrl } from '../../../core/text/git-url.ts';
import { runCommand } from '../../../world/command.ts';
import { writeWhole } from '../../../world/files.ts';
import { listFiles } from '../../../world/list-files.ts';
import { cargoClient } from '../client/cargo.ts';
import type { Client, ClientTool, Stage } from '../client/client.ts';
import { goClient } from '../client/go.ts';
import { npmClient } from '../client/npm.ts';
import { pipClient } from '../client/pip.ts';

/** What is installed from where. */
export type GitSource = {
  /** Name in the ecosystem's manifest. */
  readonly name: string;
  readonly version: string;
  /** The package's folder in the repository, '' for its root. */
  readonly folder: string;
  readonly remote: string;
  readonly commit: string;
  readonly hasHead: boolean;
} & OtherPackages;

/** Where a client finds what a package needs. */
export type OtherPackages = {
  /** Null for what the client uses by itself. */
  readonly index: string | null;
  /** A second place, for clients that take one. */
  readonly second: string | null;
  /** Variables that reading there needs. */
  readonly readingEnv: Readonly<Record<string, string>>;
};

/** What came of an install: why it failed, or the files that it brought, as the package's artifact names them; null where that is not known. */
export type GitOutcome =
  | { readonly type: 'failed'; readonly why: string }
  | { readonly type: 'impossible'; readonly why: string }
  | { readonly type: 'installed'; readonly files: readonly string[] | null };

/** A client that installs from git. */
export type GitClient = {
  readonly client: Client;
  /** The manifest that it needs in the package's folder, one of these. */
  readonly manifests: readonly string[];
  readonly git: (tool: ClientTool, stage: Stage, source: GitSource) => Promise<GitOutcome>;
  /** @param url of an archive of the commit, as hosts serve it. */
  readonly archive: (
    tool: ClientTool,
    stage: Stage,
    asked: { readonly source: GitSource; readonly url: string },
  ) => Promise<GitOutcome>;
};

/** Clients by the ecosystem whose packages they install. */
export const gitClients: Readonly<Partial<Record<Ecosystem, GitClient>>> = {
  node: {
    client: npmClient,
    manifests: ['package.json'],
    git: async (_tool, stage, source) => {
      if (!source.hasHead)
        return { type: 'failed', why: "npm asks for the remote's HEAD before any tag, and it leads to no branch" };
      const inside = source.folder === '' ? '' : `::path:${source.folder}`;
      return npmInstall(stage, source, `git+${gitUrl(source.remote)}#${source.commit}${inside}`);
    },
    archive: async (_tool, stage, { source, url }) =>
      source.folder === ''
        ? npmInstall(stage, source, url)
        : { type: 'impossible', why: `npm takes what is at the top of an archive, not ${source.folder}` },
  },
  python: {
    client: pipClient,
    manifests: ['pyproject.toml', 'setup.py'],
    git: (tool, stage, source) =>
      pipInstall(tool, stage, { source, from: `git+${gitUrl(source.remote)}@${source.commit}` }),
    archive: (tool, stage, { source, url }) => pipInstall(tool, stage, { source, from: url }),
  },
  rust: {
    client: cargoClient,
    manifests: ['Cargo.toml'],
    git: async (_tool, stage, source) => cargoBuild(stage, source),
    archive: async () => ({ type: 'impossible', why: 'cargo takes no archives' }),
  },
  go: {
    client: goClient,
    manifests: ['go.mod'],
    git: async (_tool, stage, source) => goGet(stage, source),
    archive: async () => ({ type: 'impossible', why: 'go takes no archives' }),
  },
};

type Running = {
  readonly stage: Stage;
  readonly program: string;
  readonly args: readonly string[];
  readonly env?: Readonly<Record<string, string>>;
};

/** @returns why it failed; null when it did not. */
async function run({ stage: { folder, env, signal }, program, args, env: more = {} }: Running): Promise<string | null> {
  const end = await runCommand({ program, args, folder, env: { ...env, GIT_TERMINAL_PROMPT: '0', ...more }, signal });
  if (end.type === 'missing') return `${program} is gone`;
  return end.exitCode === 0 ? null : reasonIn(end.all);
}

async function npmInstall(stage: Stage, { name, index, readingEnv }: GitSource, what: string): Promise<GitOutcome> {
  await writeWhole(path.join(stage.folder, 'package.json'), '{ "name": "visitor", "private": true }\n');
  const args = ['install', what, '--no-audit', '--no-fund', '--no-update-notifier'];
  const whole = index === null ? args : [...args, `--registry=${index}`];
  const why = await run({ stage, program: 'npm', args: whole, env: readingEnv });
  if (why !== null) return { type: 'failed', why };
  const files = await listFiles(path.join(stage.folder, 'node_modules', name)).catch(() => null);
  if (files === null) return { type: 'failed', why: `npm installed something, and no package ${name}` };
  return { type: 'installed', files: files.map((file) => file.path) };
}

async function pipInstall(
  tool: ClientTool,
  stage: Stage,
  { source: { folder, index, second, name }, from }: { readonly source: GitSource; readonly from: string },
): Promise<GitOutcome> {
  const place = path.join(stage.folder, 'env');
  const venv = await run({ stage, program: tool.program.path, args: ['-m', 'venv', place] });
  if (venv !== null) return { type: 'failed', why: venv };
  const program = path.join(place, 'bin', 'python');
  const what = folder === '' ? from : `${from}#subdirectory=${folder}`;
  const env = {
    PIP_CONFIG_FILE: '/dev/null',
    PIP_NO_INPUT: '1',
    ...(index === null ? {} : { PIP_INDEX_URL: index }),
    ...(second === null ? {} : { PIP_EXTRA_INDEX_URL: second }),
  };
  const args = ['-m', 'pip', 'install', '--disable-pip-version-check', what];
  const why = await run({ stage, program, args, env });
  if (why !== null) return { type: 'failed', why };
  const shown = await runCommand({
    program,
    args: ['-m', 'pip', 'show', '--files', name],
    folder: stage.folder,
    env: { ...stage.env, ...env },
    signal: stage.signal,
  });
  if (shown.type === 'missing' || shown.exitCode !== 0) return { type: 'installed', files: null };
  const [, list = ''] = shown.stdout.split(/^Files:$/m);
  const files = list.split('\n').map((line) => line.trim());
  return {
    type: 'installed',
    files: files.filter((file) => file !== '' && !/(?:^|\/)__pycache__\/|\.dist-info\/|^\.\.\//.test(file)),
  };
}

async function cargoBuild(stage: Stage, { name, remote, commit }: GitSource): Promise<GitOutcome> {
  const need = `${name} = { git = ${JSON.stringify(gitUrl(remote))}, rev = "${commit}" }`;
  const project = `[package]\nname = "visitor"\nversion = "1.0.0"\nedition = "2021"\n\n[dependencies]\n${need}\n`;
  await writeWhole(path.join(stage.folder, 'Cargo.toml'), project);
  await writeWhole(path.join(stage.folder, 'src', 'lib.rs'), '');
  const env = {
    CARGO_HOME: path.join(stage.home, 'cargo'),
    CARGO_TERM_COLOR: 'never',
    CARGO_NET_GIT_FETCH_WITH_CLI: 'true',
  };
  const why = await run({ stage, program: 'cargo', args: ['build', '--quiet'], env });
  // A checkout has the whole repository, whatever an artifact leaves out.
  return why === null ? { type: 'installed', files: null } : { type: 'failed', why };
}

async function goGet(stage: Stage, { name, version, remote }: GitSource): Promise<GitOutcome> {
  await writeWhole(path.join(stage.folder, 'go.mod'), 'module visitor.example/visitor\n\ngo 1.19\n');
  // Where a path of a module leads is asked of its host; here it is this very remote.
  const [host = '', top = ''] = name.split('/');
  const settings = [
    `[url "${gitUrl(remote)}"]`,
    `\tinsteadOf = https://${host}/${top}`,
    `\tinsteadOf = https://${host}/${top}.git`,
  ];
  await writeWhole(path.join(stage.home, '.gitconfig'), `${settings.join('\n')}\n`);
  const env = {
    GOPROXY: 'direct',
    GOSUMDB: 'off',
    GOFLAGS: '-modcacherw',
    GOTOOLCHAIN: 'local',
    GOENV: 'off',
    CGO_ENABLED: '0',
  };
  const got = await run({ stage, program: 'go', args: ['get', `${name}@v${version}`], env });
  const why = got ?? (await run({ stage, program: 'go', args: ['build', `${name}/...`], env }));
  if (why === null) return { type: 'installed', files: null };
  return /go-import|unrecognized import path|no such host|lookup /.test(why)
    ? { type: 'impossible', why: `not checked: go asks ${host} where the repository is, and it did not answer` }
    : { type: 'failed', why };
}
