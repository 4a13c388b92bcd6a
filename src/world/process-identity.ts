import { readFileSync, readlinkSync } from 'node:fs';
import { hostname } from 'node:os';

/** One process, described so that another one can tell whether it still runs. Null where the system does not say. */
export type ProcessIdentity = {
  readonly host: string;
  /** Id of the installed system (machine-id(5)). */
  readonly machine: string | null;
  /** Which start of the machine. */
  readonly boot: string | null;
  /** The namespace in which the process number counts: a container has its own. */
  readonly namespace: string | null;
  readonly pid: number;
  /** When the process was started, in ticks since the boot (proc(5), field 22 of /proc/PID/stat). */
  readonly started: string | null;
};

let own: ProcessIdentity | null = null;

/** The running process. */
export function thisProcess(): ProcessIdentity {
  own ??= {
    host: hostname(),
    machine: read('/etc/machine-id'),
    boot: read('/proc/sys/kernel/random/boot_id'),
    namespace: namespaceId(),
    pid: process.pid,
    started: startOf(process.pid),
  };
  return own;
}

/**
 * Whether a process certainly no longer runs: it was on this machine before its last start, or this system in the same
 * namespace has no such process any more. In doubt the answer is no.
 */
export function isGone({ host, machine, boot, namespace, pid, started }: ProcessIdentity): boolean {
  const here = thisProcess();
  if (host !== here.host || machine !== here.machine) return false;
  // The same system after a restart: no process of before is left. Without an id of the system that is not certain.
  if (boot !== here.boot) return machine !== null && boot !== null && here.boot !== null;
  if (namespace !== here.namespace) return false;
  try {
    process.kill(pid, 0);
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'ESRCH';
  }
  return startOf(pid) !== started;
}

/** Reads what a process wrote about itself; null when it is not such a description. */
export function parseIdentity(text: string): ProcessIdentity | null {
  try {
    const value = JSON.parse(text) as Partial<ProcessIdentity> | null;
    if (value === null || typeof value.host !== 'string' || !Number.isSafeInteger(value.pid)) return null;
    const textOrNull = (field: unknown) => (typeof field === 'string' ? field : null);
    return {
      host: value.host,
      machine: textOrNull(value.machine),
      boot: textOrNull(value.boot),
      namespace: textOrNull(value.namespace),
      pid: value.pid as number,
      started: textOrNull(value.started),
    };
  } catch (error) {
    if (error instanceof SyntaxError) return null;
    throw error;
  }
}

/** The name in parentheses may hold anything. A process that has ended and waits for its parent does not run. */
function startOf(pid: number): string | null {
  const text = read(`/proc/${pid}/stat`);
  const [state, ...fields] = text?.slice(text.lastIndexOf(')') + 2).split(' ') ?? [];
  return state === 'Z' ? 'ended' : (fields[18] ?? null);
}

function namespaceId(): string | null {
  try {
    return readlinkSync('/proc/self/ns/pid');
  } catch {
    return null;
  }
}

function read(file: string): string | null {
  try {
    const text = readFileSync(file, 'utf8').trim();
    return text === '' ? null : text;
  } catch {
    return null;
  }
}
