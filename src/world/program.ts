import type { ProgramVersions } from '../core/record/program-versions.ts';

/** The versions of the running programs. */
export function programVersions(bevelstone: string): ProgramVersions {
  return { bevelstone, node: process.versions.node, zlib: process.versions['zlib'] ?? '' };
}

/** The processor family of this machine, as Node.js names it. */
export function processorFamily(): string {
  return process.arch;
}

/** The Node.js that runs this program. */
export function nodeProgram(): string {
  return process.execPath;
}

/** Whether this process may write everywhere. */
export function isRoot(): boolean {
  return process.getuid?.() === 0;
}
