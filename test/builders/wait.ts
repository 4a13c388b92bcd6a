import { existsSync, readdirSync, readFileSync, readlinkSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';

/** Waits until a file is there, or one with such a name in a folder. The test's own time is the limit. */
export function appears(place: string, name?: RegExp): Promise<void> {
  return until(() => (name === undefined ? existsSync(place) : readdirSync(place).some((file) => name.test(file))));
}

/** Waits until a process has a file with such a path open, or is gone. */
export function opens(pid: number, file: RegExp): Promise<void> {
  return until(() => {
    try {
      const folder = `/proc/${pid}/fd`;
      return readdirSync(folder).some((fd) => file.test(linkOf(`${folder}/${fd}`)));
    } catch {
      return true;
    }
  });
}

/** Whether a process runs; one that has ended and was not waited for does not. */
export function isRunning(pid: number): boolean {
  try {
    return !/^State:\tZ/m.test(readFileSync(`/proc/${pid}/status`, 'utf8'));
  } catch {
    return false;
  }
}

async function until(isSo: () => boolean): Promise<void> {
  while (!isSo()) await sleep(20);
}

function linkOf(file: string): string {
  try {
    return readlinkSync(file);
  } catch {
    return '';
  }
}
