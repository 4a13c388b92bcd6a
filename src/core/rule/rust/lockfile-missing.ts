import { insidePaths } from '../../form/artifact.ts';
import { hasProgram } from '../../form/crate/crate.ts';
import type { Rule } from '../rule.ts';
import { crateManifest } from './crate-manifest.ts';

export const crateLockfileMissing: Rule = {
  id: 'rust/lockfile-missing',
  forms: ['crate'],
  severity: 'warn',
  what: 'A crate with a program brings its Cargo.lock',
  why: '`cargo install --locked` builds a program with the versions that it was tested with; that is impossible without a lockfile',
  fix: 'Commit Cargo.lock; where the program needs another crate of the workspace, release that one first and lock its version',
  example: 'src/main.rs without Cargo.lock',
  check: (artifact) => {
    const inside = new Set(insidePaths(artifact));
    const { path, manifest } = crateManifest(artifact);
    if (inside.has('Cargo.lock') || !hasProgram(manifest, inside)) return [];
    return [{ path, message: 'there is a program, and no Cargo.lock' }];
  },
};
