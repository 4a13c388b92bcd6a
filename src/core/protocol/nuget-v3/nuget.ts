import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';

// The NuGet v3 API: a service index names resources; packages are pushed as a form, read from a flat container and
// described by registrations ("NuGet Server API": Service index, Package Base Address, Package metadata, Push and Delete).

/** The resources that a client needs; null where a server has none. */
export type NugetServices = {
  readonly push: string | null;
  readonly symbols: string | null;
  readonly flat: string | null;
  readonly registrations: string | null;
  readonly search: string | null;
};

/** Resource types, newest first; of registrations those that may hold versions of SemVer 2.0.0. */
const types = {
  push: ['PackagePublish/2.0.0'],
  symbols: ['SymbolPackagePublish/4.9.0'],
  flat: ['PackageBaseAddress/3.0.0'],
  registrations: [
    'RegistrationsBaseUrl/3.6.0',
    'RegistrationsBaseUrl/Versioned',
    'RegistrationsBaseUrl/3.4.0',
    'RegistrationsBaseUrl',
  ],
  search: ['SearchQueryService/3.5.0', 'SearchQueryService/3.0.0-rc', 'SearchQueryService'],
} as const;

/** Reads a service index; null when the value is none. */
export function parseServiceIndex(value: unknown): NugetServices | null {
  const resources = objectsOf(objectOf(value)['resources']);
  if (!/^3\./.test(textOf(objectOf(value)['version']) ?? '') || resources.length === 0) return null;
  const find = (wanted: readonly string[], isFolder: boolean) => {
    for (const type of wanted) {
      const id = textOf(resources.find((resource) => resource['@type'] === type)?.['@id']);
      if (id !== null) return isFolder && !id.endsWith('/') ? `${id}/` : id;
    }
    return null;
  };
  return {
    push: find(types.push, false),
    symbols: find(types.symbols, false),
    flat: find(types.flat, true),
    registrations: find(types.registrations, true),
    search: find(types.search, false),
  };
}

const resourceAt = (base: string) => (path: string, type: string) => ({ '@id': `${base}${path}`, '@type': type });

/** Writes a service index for files below `base`: what a restore reads. */
export function formatStaticServices(base: string): string {
  const resource = resourceAt(base);
  const resources = [
    resource('flat/', types.flat[0]),
    resource('registration/', 'RegistrationsBaseUrl/3.6.0'),
    resource('registration/', 'RegistrationsBaseUrl'),
  ];
  return JSON.stringify({ version: '3.0.0', resources }, null, 2);
}

/** Writes a service index for a server whose resources lie below `base`. */
export function formatServiceIndex(base: string): string {
  const resource = resourceAt(base);
  return JSON.stringify({
    version: '3.0.0',
    resources: [
      resource('package', types.push[0]),
      resource('symbolpackage', types.symbols[0]),
      resource('flat/', types.flat[0]),
      resource('registration/', 'RegistrationsBaseUrl/3.6.0'),
      resource('registration/', 'RegistrationsBaseUrl'),
      resource('query', 'SearchQueryService'),
    ],
  });
}

/**
 * A version as addresses have it: lower case, no build metadata, three numbers or four when the last is not 0
 * ("Package versioning: Normalized version numbers").
 */
export function normaliseNugetVersion(version: string): string {
  const [, numbers = '', rest = ''] = /^([\d.]+)(-[0-9A-Za-z.-]+)?(?:\+.*)?$/.exec(version) ?? [];
  const parts = numbers.split('.').map(Number);
  while (parts.length < 3) parts.push(0);
  if (parts.length === 4 && parts[3] === 0) parts.pop();
  return `${parts.join('.')}${rest}`.toLowerCase();
}

/** Path of a package file in the flat container. */
export function flatPath(id: string, version: string): string {
  const [name, normal] = [id.toLowerCase(), normaliseNugetVersion(version)];
  return `${name}/${normal}/${name}.${normal}.nupkg`;
}

/** Versions that the flat container lists, in its spelling; null when the value is not a list. */
export function parseFlatVersions(value: unknown): string[] | null {
  const versions = objectOf(value)['versions'];
  return Array.isArray(versions) ? versions.filter((version) => typeof version === 'string') : null;
}

/** One version in a registration. */
export type RegistrationLeaf = {
  readonly version: string;
  readonly isListed: boolean;
};

/** One version for a registration page. */
export type RegistrationEntry = RegistrationLeaf & {
  readonly description: string;
  readonly authors: string;
  readonly published: string;
};

/** Writes a registration index with one page ("Package metadata: Registration pages and leaves"). */
export function formatRegistration(base: string, id: string, entries: readonly RegistrationEntry[]): string {
  const index = `${base}registration/${id.toLowerCase()}/index.json`;
  const items = entries.map(({ version, isListed, description, authors, published }) => ({
    '@id': `${base}registration/${id.toLowerCase()}/${normaliseNugetVersion(version)}.json`,
    packageContent: `${base}flat/${flatPath(id, version)}`,
    catalogEntry: { '@id': `${index}#${version}`, id, version, description, authors, listed: isListed, published },
  }));
  const page = {
    '@id': `${index}#page`,
    count: items.length,
    lower: normaliseNugetVersion(entries[0]?.version ?? '0.0.0'),
    upper: normaliseNugetVersion(entries.at(-1)?.version ?? '0.0.0'),
    items,
  };
  return JSON.stringify({ '@id': index, count: 1, items: [page] });
}

/** Pages of a registration index: those inside, and addresses of those to be fetched; null when it is none. */
export function parseRegistration(
  value: unknown,
): { readonly leaves: RegistrationLeaf[]; readonly pages: string[] } | null {
  const document = objectOf(value);
  if (!Array.isArray(document['items'])) return null;
  const pages = objectsOf(document['items']);
  const isPage = pages.some((page) => page['catalogEntry'] !== undefined);
  const inside = isPage ? pages : pages.flatMap((page) => objectsOf(page['items']));
  const leaves = inside.flatMap((item): RegistrationLeaf[] => {
    const entry = objectOf(item['catalogEntry']);
    const version = textOf(entry['version']);
    return version === null ? [] : [{ version, isListed: entry['listed'] !== false }];
  });
  const outside = isPage
    ? []
    : pages.filter((page) => !Array.isArray(page['items'])).flatMap((page) => textOf(page['@id']) ?? []);
  return { leaves, pages: outside };
}
