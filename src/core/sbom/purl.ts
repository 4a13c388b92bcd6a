import { PackageURL } from 'packageurl-js';
import type { PurlType } from '../ecosystem/definition.ts';

/** What a package URL is made of. */
export type PurlParts = {
  readonly type: PurlType;
  /** As the ecosystem writes it: `@scope/name`, `group:artifact`, `module/path`. */
  readonly name: string;
  readonly version: string | null;
  /** Such as `classifier` or `vcs_url`. */
  readonly qualifiers: Readonly<Record<string, string>>;
};

/** The package URL of a package that needs no qualifiers, or null when none can be made of its name. */
export function formatPurl(type: PurlType, name: string, version: string | null): string | null {
  return purlOf({ type, name, version, qualifiers: {} });
}

/** A package URL (purl specification, "Rules for each purl component"), normalised for its type; null when none can be made. */
export function purlOf({ type, name, version, qualifiers }: PurlParts): string | null {
  const [namespace, plain] = split(type, name);
  try {
    return new PackageURL(
      type,
      namespace ?? undefined,
      plain,
      version ?? undefined,
      Object.keys(qualifiers).length === 0 ? undefined : qualifiers,
      undefined,
    ).toString();
  } catch (error) {
    if (error instanceof Error) return null;
    throw error;
  }
}

/** Why a text is not a package URL; null when it is one. */
export function purlProblem(text: string): string | null {
  try {
    PackageURL.fromString(text);
    return null;
  } catch (error) {
    if (error instanceof Error) return error.message;
    throw error;
  }
}

/** The purl without its version, for comparing releases of one package. */
export function purlWithoutVersion(purl: string): string {
  return purl.replace(/@[^/?#]+(?=[?#]|$)/, '');
}

/** Namespace and name, for the types that do not put a slash between them. */
const ownSplits: Partial<Readonly<Record<PurlType, (name: string) => [string | null, string]>>> = {
  pypi: (name) => [null, name.toLowerCase().replace(/[-_.]+/g, '-')],
  maven: (name) => {
    const [group = '', artifact] = name.split(':');
    return artifact === undefined ? [null, group] : [group, artifact];
  },
};

function split(type: PurlType, name: string): [string | null, string] {
  const own = ownSplits[type];
  if (own !== undefined) return own(name);
  const at = name.lastIndexOf('/');
  return at === -1 ? [null, name] : [name.slice(0, at), name.slice(at + 1)];
}
