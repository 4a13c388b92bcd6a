import { runCommand } from './command.ts';
import { isRoot } from './program.ts';

/** What a step is kept from. */
export type Confinement = {
  /** Without any network, that of this machine itself included. */
  readonly offline: boolean;
  /** Folders that it may write to while everything else is read-only; null where it may write anywhere. */
  readonly writable: readonly string[] | null;
};

/** What this machine can do of it; a text says why not. */
export type ConfinementHere = { readonly offline: true | string; readonly contained: true | string };

/** Exit code of the script below when a mount could not be made read-only. */
const couldNotContain = 97;

// Namespaces of Linux (unshare(1), mount(8), proc(5) for mountinfo). The folder is entered again, since the old one is read-only by then.
// In a namespace of a user's own, flags that a mount has already must be given again.
const containing = `
fail() { echo "$1 could not be made read-only" >&2; exit ${couldNotContain}; }
folder=$1; run=$2; shift 2
mount --make-rprivate / || fail /
for place in "$@"; do mount --bind "$place" "$place" || fail "$place"; done
mount -t tmpfs tmpfs /dev/shm 2> /dev/null || :
while read -r _ _ _ _ point flags _; do
  point=$(printf %b "$point")
  case $point in /proc|/proc/*|/dev|/dev/*) continue ;; esac
  skip=
  for place in "$@"; do case $point in "$place"|"$place"/*) skip=1 ;; esac; done
  [ -n "$skip" ] && continue
  case ,$flags, in *,ro,*) continue ;; esac
  mount -o "remount,bind,ro,$(printf %s ",$flags," | sed 's/,rw,/,/; s/^,//; s/,$//')" "$point" || fail "$point"
done <<E
$(cat /proc/self/mountinfo)
E
cd "$folder" || fail "$folder"
exec /bin/sh -c "$run"
`;

/**
 * The command line that keeps a shell command within its limits.
 * @returns program and arguments; the plain shell where nothing is kept from it.
 */
export function confinedCommand(
  run: string,
  folder: string,
  { offline, writable }: Confinement,
): readonly [string, readonly string[]] {
  if (!offline && writable === null) return ['/bin/sh', ['-c', 'umask 022; exec /bin/sh -c "$1"', 'sh', run]];
  const own = isRoot() ? [] : ['--user', writable === null ? '--map-current-user' : '--map-root-user'];
  const spaces = [...own, ...(offline ? ['--net'] : []), ...(writable === null ? [] : ['--mount'])];
  const inner =
    writable === null ? ['-c', 'exec /bin/sh -c "$1"', 'sh', run] : ['-c', containing, 'sh', folder, run, ...writable];
  return ['/bin/sh', ['-c', 'umask 022; exec unshare "$@"', 'sh', ...spaces, '/bin/sh', ...inner]];
}

/** Tries both once, in a folder of the caller's. */
export async function confinementHere(
  folder: string,
  { env, signal }: { readonly env: Readonly<Record<string, string>>; readonly signal: AbortSignal },
): Promise<ConfinementHere> {
  const attempt = async (confinement: Confinement): Promise<true | string> => {
    if (process.platform !== 'linux') return 'only Linux has namespaces for it';
    const [program, args] = confinedCommand('exit 0', folder, confinement);
    const end = await runCommand({ program, args, folder, env, signal });
    if (end.type === 'missing') return 'there is no /bin/sh';
    if (end.exitCode === 0) return true;
    return end.all.trim().split('\n').at(-1) ?? 'the system refuses it';
  };
  return {
    offline: await attempt({ offline: true, writable: null }),
    contained: await attempt({ offline: false, writable: [folder] }),
  };
}
