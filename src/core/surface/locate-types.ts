import { joinPath, parentOf } from '../contents/inner-path.ts';

/** The declaration file that a relative specifier of another one leads to (TypeScript handbook, "Modules - Reference"); null for none. */
export function locateTypes(specifier: string, from: string, has: (path: string) => boolean): string | null {
  if (!/^\.{1,2}(?:\/|$)/.test(specifier)) return null;
  const path = joinPath(parentOf(from), specifier);
  const plain = path.replace(/(?:\.d)?\.([cm]?)[jt]sx?$/, '');
  const marks = /\.([cm])[jt]s$/.exec(path)?.[1];
  const endings =
    marks === undefined ? ['.d.ts', '.d.mts', '.d.cts', '/index.d.ts', '/index.d.mts'] : [`.d.${marks}ts`];
  return (
    [path, ...endings.map((ending) => plain + ending), ...endings.map((ending) => path + ending)].find(
      (candidate) => /\.d\.[cm]?ts$/.test(candidate) && has(candidate),
    ) ?? null
  );
}
