import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { inject } from 'vitest';
import { standinAddress } from '../../src/flow/trial/standin.ts';
import type { Fault } from '../../src/standin/fault.ts';
import type { Standin } from '../../src/standin/server.ts';
import { testStandin } from './parcel.ts';
import { bevelstoneJson, type Envelope, type Run } from './program.ts';
import { temporaryFolder, testEnvironment } from './repository.ts';
import { goodToken, tokenFor } from './workspace.ts';

/** The program with fault points and a clock that can be set. */
export function faultyProgram(): string {
  return path.join(inject('testBuild'), 'main.js');
}

/** A small workspace of its own with a bare remote beside it, and a stand-in that it delivers to. */
export type ReleaseWorkspace = {
  readonly top: string;
  readonly folder: string;
  readonly standin: Standin;
  readonly env: Readonly<Record<string, string>>;
  readonly git: (...args: string[]) => string;
  /** Commits files and pushes nothing. */
  readonly commit: (message: string, files: Readonly<Record<string, string>>) => void;
  readonly release: (args?: readonly string[], env?: Readonly<Record<string, string>>) => Promise<Envelope & Run>;
  /** A clone of the remote beside it, with the same environment. */
  readonly clone: (name: string) => ReleaseWorkspace;
};

/** What a workspace is made of. */
export type WorkspaceParts = {
  readonly destinations?: readonly ('office' | 'upstairs' | 'shelf')[];
  /** Further text of bevelstone.yaml. */
  readonly more?: string;
  readonly packages?: readonly string[];
  readonly faults?: readonly Fault[];
  /** Whether the stand-in needs a token for reading. */
  readonly isPrivate?: boolean;
};

const configs = {
  office: '{ speaks: npm-registry, url: "env:OFFICE", credential: env:OFFICE_TOKEN, confirm-for: 5 s }',
  upstairs:
    '{ speaks: http-put, url: "env:UPSTAIRS", credential: env:OFFICE_TOKEN, takes: [npm-tarball], confirm-for: 5 s }',
  shelf: '{ speaks: folder, url: ../shelf }',
};

/** Lays a workspace out: one or more packages for Node that need no build step, released once. */
export async function releaseWorkspace({
  destinations = ['office'],
  more = '',
  packages = ['soundings'],
  faults = [],
  isPrivate = false,
}: WorkspaceParts = {}): Promise<ReleaseWorkspace> {
  const top = temporaryFolder();
  const standin = await testStandin({
    tokens: [tokenFor(goodToken)],
    faults,
    isPrivate,
    store: path.join(top, 'store'),
  });
  const folder = path.join(top, 'soundings');
  mkdirSync(folder);
  const run = (...args: string[]) => gitIn(folder, ...args);
  gitIn(top, 'init', '--quiet', '--bare', '--initial-branch=main', 'remote.git');
  run('init', '--quiet', '--initial-branch=main');
  run('remote', 'add', 'origin', '../remote.git');
  const entries = packages.map(
    (name) =>
      `  ${name}: { folder: ${name}, artifacts: [{ form: npm-tarball }], send-to: [${destinations.join(', ')}] }`,
  );
  const named = destinations.map((name) => `  ${name}: ${configs[name]}`);
  const sends = named.length === 0 ? '' : `destinations:\n${named.join('\n')}\n`;
  commitIn(folder, 'chore: begin', {
    'bevelstone.yaml': `schema: 1\nhistory: { first: 0.1.0 }\npackages:\n${entries.join('\n')}\n${sends}${more}`,
    '.gitignore': 'bevelstone-out/\n',
    ...Object.assign({}, ...packages.map(packageFiles)),
  });
  commitIn(
    folder,
    'feat: depths along the fairway',
    Object.fromEntries(packages.map((name) => [`${name}/depth.js`, 'export const depth = 4.2;\n'])),
  );
  run('push', '--quiet', '--set-upstream', 'origin', 'main');
  const env = {
    OFFICE: standinAddress(standin, 'npm-registry'),
    UPSTAIRS: standinAddress(standin, 'http-put'),
    OFFICE_TOKEN: goodToken,
    BEVELSTONE_TRUST: new URL(standin.url).origin,
  };
  return workspaceAt({ top, folder, standin, env });
}

function workspaceAt(base: Pick<ReleaseWorkspace, 'top' | 'folder' | 'standin' | 'env'>): ReleaseWorkspace {
  const { top, folder, env } = base;
  return {
    ...base,
    git: (...args) => gitIn(folder, ...args),
    commit: (message, files) => commitIn(folder, message, files),
    release: (args = [], extra = {}) =>
      bevelstoneJson(['release', '--yes', ...args], {
        cwd: folder,
        env: { ...env, ...extra },
        program: faultyProgram(),
      }),
    clone: (name) => {
      const other = path.join(top, name);
      gitIn(top, 'clone', '--quiet', 'remote.git', name);
      gitIn(other, 'remote', 'set-url', 'origin', '../remote.git');
      return workspaceAt({ ...base, folder: other });
    },
  };
}

/** What the whole world can see of a workspace's releases, without what differs between any two runs. */
export function visibleState({ top, standin }: ReleaseWorkspace): unknown {
  const remote = path.join(top, 'remote.git');
  const events = gitIn(remote, 'ls-tree', '-r', '--name-only', 'refs/bevelstone/ledger')
    .split('\n')
    .filter((file) => !file.includes('contents-'))
    .map((file) => {
      const { id, at, run, seq, ...event } = JSON.parse(gitIn(remote, 'show', `refs/bevelstone/ledger:${file}`));
      return withoutPlace(JSON.stringify(event));
    });
  const tags = gitIn(
    remote,
    'for-each-ref',
    '--format=%(refname) %(objecttype) %(*objectname) %(contents)',
    'refs/tags',
  );
  return {
    tags: tags.replace(/Bevelstone-Run: [0-9a-f]{32}/g, 'Bevelstone-Run: …'),
    branch: gitIn(remote, 'rev-parse', 'main'),
    events: events.sort(),
    shelf: filesBelow(path.join(top, 'shelf')),
    board: readIfThere(path.join(top, 'board.txt')),
    served: filesBelow(path.join(top, 'store')).filter(([name]) => !/incoming|\/about|time/.test(String(name))),
    leftovers: standin.faults.asked.length > 0 ? [] : ['nothing was asked'],
  };
}

/** How often each version's file was taken in by the stand-in. */
export function uploads({ standin }: ReleaseWorkspace): readonly number[] {
  const sent = new Map<string, number>();
  for (const line of standin.faults.answered) {
    if (/^PUT (?:\/node\/[^/]+|\S+\.tgz) 2\d\d$/.test(line)) sent.set(line, (sent.get(line) ?? 0) + 1);
  }
  return [...sent.values()];
}

function packageFiles(name: string): Record<string, string> {
  const manifest = {
    name,
    version: '0.0.0',
    description: `Depths for ${name}`,
    license: 'MIT',
    type: 'module',
    main: './depth.js',
    exports: './depth.js',
  };
  return {
    [`${name}/package.json`]: `${JSON.stringify(manifest, null, 2)}\n`,
    [`${name}/README.md`]: `# ${name}\n\nDepths below chart datum, in metres, along the fairway and at the quays of the estuary.\n`,
    [`${name}/LICENSE`]: 'MIT License\n\nCopyright (c) 2026 Fenmarsh Tide Office\n',
    [`${name}/depth.js`]: 'export const depth = 0;\n',
  };
}

function commitIn(folder: string, message: string, files: Readonly<Record<string, string>>): void {
  for (const [file, text] of Object.entries(files)) {
    mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
    writeFileSync(path.join(folder, file), text);
  }
  gitIn(folder, 'add', '--all');
  gitIn(folder, 'commit', '--quiet', '-m', message);
}

function gitIn(folder: string, ...args: string[]): string {
  const date = '2026-11-01T08:00:00Z';
  return execFileSync('git', args, {
    cwd: folder,
    env: testEnvironment({ GIT_AUTHOR_DATE: date, GIT_COMMITTER_DATE: date }),
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'pipe'],
  }).trim();
}

/** Names with contents. */
function filesBelow(folder: string): (readonly [string, string])[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((dirent) => dirent.isFile())
    .map((dirent): [string, string] => {
      const file = path.join(dirent.parentPath, dirent.name);
      return [path.relative(folder, file), withoutPlace(readFileSync(file, 'latin1'))];
    })
    .sort(([a], [b]) => (a < b ? -1 : 1));
}

/** Without the test's own folder, the port of a stand-in, and when it took something in. */
function withoutPlace(text: string): string {
  return text
    .replace(/[^"' ]*\/bevelstone-test-\w+/g, 'top')
    .replace(/127\.0\.0\.1:\d+/g, 'standin')
    .replace(/\d{4}-\d\d-\d\dT[\d:.]+Z/g, 'then')
    .replace(/"hidden":\{[^}]*\}/, '"hidden":{}');
}

function readIfThere(file: string): string | null {
  return existsSync(file) ? readFileSync(file, 'utf8') : null;
}
