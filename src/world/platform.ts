import { availableParallelism, homedir, hostname, tmpdir } from 'node:os';

const systems: Readonly<Record<string, string>> = { darwin: 'macos', win32: 'windows' };

/** The platform of this machine, as the vocabulary writes it: `linux-x64`. */
export function hostPlatform(): string {
  return `${systems[process.platform] ?? process.platform}-${process.arch}`;
}

/** How many tasks this machine can do at the same time. */
export function processorCount(): number {
  return availableParallelism();
}

/** The name of this machine. */
export function hostName(): string {
  return hostname();
}

/** The home folder of the user. */
export function homeFolder(): string {
  return homedir();
}

/** The system's folder for temporary files. */
export function temporaryFolder(): string {
  return tmpdir();
}
