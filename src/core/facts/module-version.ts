import { normaliseName } from '../manifest/normalise-name.ts';

/** Modules of Python that say their version to whoever imports them, and files that hold nothing but a version. */
const versionFiles = /(?:^|\/)(?:(?:__init__|_version|__about__|__version__|version)\.py|VERSION(?:\.txt)?)$/;

/** Whether a file inside an artifact may say the version of what is in it. Deeper ones belong to something else. */
export function mayNameVersion(path: string): boolean {
  return versionFiles.test(path) && path.split('/').length <= 4;
}

/**
 * Versions that the package itself says: `__version__` of a module called like the package, and `VERSION` files at its top. Those
 * of other modules inside are other versions.
 */
export function moduleVersions({
  texts,
  prefix,
  name,
}: {
  readonly texts: ReadonlyMap<string, string>;
  readonly prefix: string;
  /** The package's name as its manifest has it. */
  readonly name: string | null;
}): { readonly path: string; readonly version: string }[] {
  const own = normaliseName(name ?? '').replaceAll('-', '_');
  return [...texts].flatMap(([path, text]) => {
    if (!mayNameVersion(path)) return [];
    const inside = path.startsWith(prefix) ? path.slice(prefix.length) : path;
    const parts = inside.replace(/^(?:src|lib)\//, '').split('/');
    const version = path.endsWith('.py')
      ? /^__version__[ \t]*(?::[^=\n]+)?=[ \t]*["'](\d[^"'\n]*)["']/m.exec(text)?.[1]
      : /^\ufeff?\s*v?(\d+(?:\.\d+){1,3}[\w.+-]*)\s*$/.exec(text)?.[1];
    const isOwn = parts.length === 1 || (parts.length === 2 && parts[0]?.toLowerCase() === own);
    return version === undefined || !isOwn ? [] : [{ path, version }];
  });
}
