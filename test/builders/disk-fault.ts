import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { ReleaseWorkspace } from './release-workspace.ts';

/** Something that goes wrong at one call of the system. */
export type DiskFault = {
  /** Whose calls count. */
  readonly program: 'node' | 'git' | '';
  /** Which of them, from 1; 0 only counts them. */
  readonly at: number;
  readonly does: 'ENOSPC' | 'EIO' | 'full' | 'readonly' | 'kill';
  /** The folder whose files count; by default all of the workspace's. */
  readonly top?: string;
};

let library: string | null | undefined;

/** The library that makes calls fail, compiled once; null where there is no compiler, or no such way to load it. */
export function faultLibrary(): string | null {
  if (library !== undefined) return library;
  // Asked for before any test runs, so no test can remove it; it has the same name in every run.
  const file = path.join(tmpdir(), `bevelstone-test-fault-${process.pid}.so`);
  try {
    execFileSync('cc', ['-shared', '-fPIC', '-O1', '-o', file, path.join(import.meta.dirname, 'fault.c'), '-ldl'], {
      stdio: 'pipe',
    });
    library = process.platform === 'linux' ? file : null;
    process.once('exit', () => rmSync(file, { force: true }));
  } catch {
    library = null;
  }
  return library;
}

/** The environment in which a fault happens, in a workspace; temporary folders are made inside of it. */
export function faultEnvironment(w: ReleaseWorkspace, { program, at, does, top }: DiskFault): Record<string, string> {
  const counter = path.join(w.top, 'calls');
  rmSync(counter, { force: true });
  return {
    ...temporaryInside(w),
    LD_PRELOAD: faultLibrary() ?? '',
    FAULT_TOP: `${top ?? w.top}/`,
    FAULT_COUNTER: counter,
    FAULT_PROGRAM: program,
    FAULT_AT: String(at),
    FAULT_DOES: does,
  };
}

/** Temporary folders inside the workspace's own, so that what is left there is seen. */
export function temporaryInside({ top }: Pick<ReleaseWorkspace, 'top'>): Record<string, string> {
  const folder = path.join(top, 'tmp');
  mkdirSync(folder, { recursive: true });
  return { TMPDIR: folder };
}

/** How many calls were counted. */
export function callsOf({ top }: ReleaseWorkspace): number {
  const file = path.join(top, 'calls');
  return existsSync(file) ? statSync(file).size : 0;
}

/** Everything that a killed run could leave: temporary folders, worktrees, index files, locks, half-written files. */
export function leftoversOf({ top, folder }: ReleaseWorkspace): readonly string[] {
  const git = path.join(folder, '.git');
  const below = (place: string) => (existsSync(place) ? readdirSync(place, { recursive: true, encoding: 'utf8' }) : []);
  return [
    ...below(path.join(top, 'tmp'))
      .filter((name) => !name.includes('/'))
      .map((name) => `tmp/${name}`),
    ...below(path.join(git, 'worktrees'))
      .filter((name) => !name.includes('/'))
      .map((name) => `worktree ${name}`),
    ...below(path.join(git, 'bevelstone/at-work')).map((name) => `at work ${name}`),
    ...below(path.join(git, 'refs')).filter((name) => name.endsWith('.lock')),
    ...below(path.join(git, 'bevelstone')).filter((name) => /\.tmp$|index-|\/out(?:\/|$)/.test(name)),
    ...readdirSync(top).filter((name) => name.startsWith('.bevelstone-incoming')),
    ...below(path.join(top, 'shelf')).filter((name) => name.endsWith('.tmp') || name.startsWith('.')),
    ...below(path.join(folder, 'bevelstone-out')).filter((name) => /\.(?:tmp|old)$/.test(name)),
  ].sort();
}
