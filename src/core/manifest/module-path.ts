// Module paths and versions as a module proxy has them (Go Modules Reference, "Module paths", "Versions", "GOPROXY protocol").

/** A path or version where capital letters are not told from small ones: each is written as `!` and the small one. */
export function escapePath(text: string): string {
  return text.replace(/[A-Z]/g, (letter) => `!${letter.toLowerCase()}`);
}

/** The same back; null for a text that could not have come from there. */
export function unescapePath(text: string): string | null {
  if (/[A-Z]|!(?![a-z])/.test(text)) return null;
  return text.replace(/!([a-z])/g, (_, letter: string) => letter.toUpperCase());
}

/** The suffix that the path of a module of this major version has: `/v2` and higher; '' for 0 and 1. */
export function majorSuffix(version: string): string {
  const major = Number(version.replace(/^v/, '').split('.')[0]);
  return major >= 2 ? `/v${major}` : '';
}

/** Why a path cannot be that of a module at this version, in words; null when it can. */
export function whyWrongPath(path: string, version: string): string | null {
  const why = whyNotModulePath(path);
  if (why !== null) return why;
  const wanted = majorSuffix(version);
  const found = /\/v(\d+)$/.exec(path)?.[0] ?? '';
  if (found === wanted) return null;
  return wanted === ''
    ? `the path ends in ${found}, and version ${version} has no such suffix`
    : `the path of version ${version} ends in ${wanted}`;
}

/** Why a text is no module path ("Module paths", the rules for paths), in words; null when it is one. */
export function whyNotModulePath(path: string): string | null {
  if (path === '' || path.startsWith('/') || path.endsWith('/')) return 'it begins or ends with a slash, or is empty';
  const parts = path.split('/');
  const strange = parts.find(
    (part) => !/^[A-Za-z0-9._~-]+$/.test(part) || part.startsWith('.') || part.endsWith('.') || isWindowsName(part),
  );
  if (strange !== undefined) return `"${strange}" cannot be part of a module path`;
  const [first = ''] = parts;
  if (!/^[a-z0-9.-]+$/.test(first) || !first.includes('.') || first.startsWith('-'))
    return `"${first}" is not the name of a host in small letters, with a dot`;
  return null;
}

/** Names that Windows keeps for devices, and short names of its own ("Module paths", last rules). */
export function isWindowsName(part: string): boolean {
  const stem = part.split('.')[0] ?? '';
  return /^(?:con|com[1-9]|lpt[1-9]|nul|prn|aux)$/i.test(stem) || /~\d+$/.test(stem);
}
