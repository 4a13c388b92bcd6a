/** Names of letters and digits, none of which begins with a dot: what most paths are. */
const plain = /^(?:[\w+@~-][\w+@~.-]*\/)*[\w+@~-][\w+@~.-]*$/;

/** Why a path inside an archive can't be trusted, or null when it can. */
export function unsafeReason(path: string): string | null {
  if (plain.test(path)) return null;
  if (path === '') return 'it is empty';
  if (/[\u0000-\u001f\u007f]/.test(path)) return 'it holds control characters';
  if (path.startsWith('/') || /^[A-Za-z]:/.test(path)) return 'it is absolute';
  if (path.includes('\\')) return 'it holds a backslash, which some systems take for a folder';
  const parts = path.split('/');
  if (parts.includes('..')) return 'it climbs out of its folder';
  return parts.slice(0, -1).includes('') || parts.includes('.') ? 'it has an empty or "." part' : null;
}

/** Whether a text is the plain name of one file: no folder, no control character, nothing that a system takes for more. */
export function isFileName(name: unknown): name is string {
  return (
    typeof name === 'string' &&
    name.length <= 255 &&
    !name.includes('/') &&
    name !== '..' &&
    unsafeReason(name) === null
  );
}

/** Whether a text is the path of a file below some folder: names without `.` and `..`, `/` between them. */
export function isInnerPath(path: unknown): path is string {
  return (
    typeof path === 'string' && path.length <= 1000 && path.split('/').every((part) => part !== '.' && isFileName(part))
  );
}

/** Whether a link at a path points outside the archive's own top folder. */
export function linkLeaves(path: string, target: string, isHardlink: boolean): boolean {
  if (target.startsWith('/') || /^[A-Za-z]:/.test(target) || target.includes('\\')) return true;
  let depth = isHardlink ? 0 : path.split('/').length - 1;
  for (const part of target.split('/')) {
    if (part === '..') depth--;
    else if (part !== '' && part !== '.') depth++;
    if (depth < 0) return true;
  }
  return false;
}
