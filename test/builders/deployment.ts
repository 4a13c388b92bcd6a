import { existsSync, readdirSync, readFileSync, readlinkSync, statSync } from 'node:fs';
import path from 'node:path';
import { it } from 'vitest';
import { bevelstoneJson, type Envelope, type Run } from './program.ts';
import { faultyProgram, type ReleaseWorkspace, releaseWorkspace } from './release-workspace.ts';
import { sshServer, startSshServer } from './ssh-server.ts';
import { itWith } from './tools.ts';

/** Kinds of targets. */
export type TargetKind = 'folder' | 'ssh';

/** A workspace whose releases are deployed. */
export type DeploymentWorkspace = ReleaseWorkspace & {
  /** The folder of the deployment, here on this machine whatever the kind is. */
  readonly site: string;
  /** Runs `bevelstone deploy ARGS --to harbour --yes`. */
  readonly deploy: (args?: readonly string[], env?: Readonly<Record<string, string>>) => Promise<Envelope & Run>;
  /** Releases the files as the next version and deploys nothing. */
  readonly releaseFiles: (message: string, files: Readonly<Record<string, string>>) => Promise<string>;
};

/**
 * A workspace with one release, 0.1.0, of four files, and the deployment `harbour`.
 * @param lines of the deployment: the map and whatever else.
 */
export async function deploymentWorkspace(kind: TargetKind, lines: string): Promise<DeploymentWorkspace> {
  const server = kind === 'ssh' ? await startSshServer() : null;
  // Where it lies is known only when the workspace is there, so the configuration follows.
  const w = await releaseWorkspace({ destinations: ['shelf'] });
  const site = path.join(w.top, 'harbour');
  const indented = lines
    .trim()
    .split('\n')
    .map((line) => `    ${line}\n`)
    .join('');
  const files = '[{ from: tables }, { from: depth.js }, { from: README.md }]';
  const config = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8').replace(
    '{ form: npm-tarball }',
    `{ form: npm-tarball }, { form: tar.gz, files: ${files} }`,
  );
  w.commit('chore: deploy to the harbour', {
    'bevelstone.yaml': `${config}deployments:\n  harbour:\n    package: soundings\n    folder: ${site}\n${server?.lines ?? ''}${indented}`,
    'soundings/tables/low.js': 'export const low = 0.4;\n',
    'soundings/tables/high.js': 'export const high = 4.2;\n',
  });
  const released = await w.release();
  if (released.error !== null) throw new Error(released.stderr);
  return {
    ...w,
    site,
    deploy: (args = [], env = {}) =>
      bevelstoneJson(['deploy', '--to', 'harbour', '--yes', ...args], {
        cwd: w.folder,
        env: { ...w.env, ...env },
        program: faultyProgram(),
      }),
    releaseFiles: async (message, files) => {
      w.commit(message, files);
      const run = await w.release();
      if (run.error !== null) throw new Error(run.stderr);
      return run.result.releases[0].version;
    },
  };
}

/** Two parts that links stand for. */
export const linkedMap = 'map:\n  - { from: tables, to: tables }\n  - { from: depth.js, to: site/depth.js }';

/** The same, and parts that are copied. */
export const mixedMap = [
  'map:',
  '  - { from: tables, to: tables }',
  '  - { from: depth.js, to: site/depth.js, copy: true, mode: "0640" }',
  '  - { from: tables, to: copies, copy: true }',
  'earlier: 2',
].join('\n');

/** Files of a second release, 0.1.1: one new, two changed. */
export const secondFiles = {
  'soundings/tables/low.js': 'export const low = 0.5;\n',
  'soundings/tables/mean.js': 'export const mean = 2;\n',
  'soundings/depth.js': 'export const depth = 5;\n',
};

/** Every kind of target. */
export const kinds: readonly TargetKind[] = ['folder', 'ssh'];

/** `it`, or a test that is skipped where what the kind needs is missing. */
export function itAt(kind: TargetKind): ReturnType<typeof itWith> {
  return kind === 'ssh' ? itWith(sshServer, '/usr/bin/sftp') : it;
}

/** Versions whose files lie on the target. */
export function versionsOn({ site }: DeploymentWorkspace): (string | undefined)[] {
  return readdirSync(path.join(site, 'versions')).map((name) => name.split('-')[0]);
}

/** Everything below a folder that its users see: paths with contents, links followed, without what is Bevelstone's own. */
export function seenFrom(folder: string): Record<string, string> {
  const seen: Record<string, string> = {};
  const walk = (inside: string) => {
    const place = path.join(folder, inside);
    for (const name of readdirSync(place)) {
      if (inside === '' && ['versions', '.bevelstone'].includes(name)) continue;
      const own = path.join(inside, name);
      const full = path.join(folder, own);
      if (!existsSync(full)) seen[own] = `leads to nothing: ${readlinkSync(full)}`;
      else if (readFolder(full)) walk(own);
      else seen[own] = `${(statSync(full).mode & 0o777).toString(8)} ${readFileSync(full, 'utf8')}`;
    }
  };
  if (existsSync(folder)) walk('');
  return seen;
}

function readFolder(place: string): boolean {
  try {
    readdirSync(place);
    return true;
  } catch {
    return false;
  }
}
