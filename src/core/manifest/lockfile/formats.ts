import type { Ecosystem } from '../../name/ecosystem.ts';
import { updateCargoLock } from './cargo.ts';
import { updateNpmLock } from './npm.ts';
import type { LockfileUpdate } from './own-entry.ts';
import { updatePnpmLock } from './pnpm.ts';
import { updatePoetryLock } from './poetry.ts';
import { updateUvLock } from './uv.ts';
import { updateYarnLock } from './yarn.ts';

/** A lockfile that may record packages of its own workspace. */
export type OwnLockfile = { readonly ecosystem: Ecosystem; readonly update: LockfileUpdate };

const lockfiles: Readonly<Record<string, OwnLockfile>> = {
  'package-lock.json': { ecosystem: 'node', update: updateNpmLock },
  'npm-shrinkwrap.json': { ecosystem: 'node', update: updateNpmLock },
  'pnpm-lock.yaml': { ecosystem: 'node', update: updatePnpmLock },
  'yarn.lock': { ecosystem: 'node', update: updateYarnLock },
  'Cargo.lock': { ecosystem: 'rust', update: updateCargoLock },
  'uv.lock': { ecosystem: 'python', update: updateUvLock },
  'poetry.lock': { ecosystem: 'python', update: updatePoetryLock },
};

/** The lockfile of this name; null for any other file. */
export function ownLockfile(file: string): OwnLockfile | null {
  return lockfiles[file.slice(file.lastIndexOf('/') + 1)] ?? null;
}
