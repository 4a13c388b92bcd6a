import { objectOf, objectsOf, shownText } from '../../manifest/fields.ts';
import type { PackageJson } from '../../manifest/package-json.ts';

// The npm registry's public API as its client speaks it: one JSON document per package ("packument"), a PUT of a
// document with one version and its tarball as attachment to publish, and /-/package/NAME/dist-tags for pointers.

/** What a publish document says beside the tarball's bytes. */
export type PublishInput = {
  readonly manifest: PackageJson;
  readonly name: string;
  readonly version: string;
  readonly readme: string | null;
  /** The dist-tag that is set: never left to the server. */
  readonly tag: string;
  readonly access: 'public' | 'restricted' | null;
  readonly registry: string;
  readonly sizeBytes: number;
  readonly sha1: string;
  readonly sha512: string;
};

/** The text before and behind the base64 of the tarball; together they are the document. */
export function encodePublishDocument(input: PublishInput): { readonly before: string; readonly behind: string } {
  const { manifest, name, version, readme, tag, access, registry, sizeBytes } = input;
  const file = `${name}-${version}.tgz`;
  const dist = {
    integrity: integrityOf(input.sha512),
    shasum: input.sha1,
    tarball: tarballUrl(registry, name, version),
  };
  const document = {
    _id: name,
    name,
    description: manifest['description'],
    'dist-tags': { [tag]: version },
    versions: { [version]: { ...manifest, _id: `${name}@${version}`, ...(readme === null ? {} : { readme }), dist } },
    access,
    ...(readme === null ? {} : { readme }),
    _attachments: { [file]: { content_type: 'application/octet-stream', length: sizeBytes, data: '' } },
  };
  // The empty data is the last thing in the document: three closing braces behind it.
  const text = JSON.stringify(document);
  const behind = '"}}}';
  return { before: text.slice(0, -behind.length), behind };
}

/** A package's path at a registry: the slash of a scope is escaped, nothing else. */
export function packagePath(name: string): string {
  return name.replace('/', '%2f');
}

/** Where the tarball of a version lies by convention. */
export function tarballUrl(registry: string, name: string, version: string): string {
  const base = registry.endsWith('/') ? registry : `${registry}/`;
  return `${base}${name}/-/${name.split('/').at(-1)}-${version}.tgz`;
}

/** A SHA-512 in hexadecimal as subresource integrity (W3C SRI §3.1). */
export function integrityOf(sha512: string): string {
  return `sha512-${Buffer.from(sha512, 'hex').toString('base64')}`;
}

/** What a registry says of a package, as far as we need it. */
export type Packument = {
  /** Names of those who may publish; empty when it does not tell. */
  readonly maintainers: readonly string[];
  readonly tags: Readonly<Record<string, string>>;
  readonly versions: ReadonlyMap<
    string,
    { readonly integrity: string | null; readonly shasum: string | null; readonly tarball: string | null }
  >;
};

/** Takes a packument apart; fields of a wrong type count as missing. @returns null when it is not a packument. */
export function parsePackument(value: unknown): Packument | null {
  const document = objectOf(value);
  if (typeof document['versions'] !== 'object') return null;
  const text = (item: unknown) => (typeof item === 'string' ? item : null);
  const versions = Object.entries(objectOf(document['versions'])).map(([version, manifest]) => {
    const dist = objectOf(objectOf(manifest)['dist']);
    return [
      version,
      { integrity: text(dist['integrity']), shasum: text(dist['shasum']), tarball: text(dist['tarball']) },
    ] as const;
  });
  const tags = Object.entries(objectOf(document['dist-tags'])).filter(
    (pair): pair is [string, string] => typeof pair[1] === 'string',
  );
  const maintainers = objectsOf(document['maintainers']).flatMap(({ name }) => text(name) ?? []);
  return { maintainers, tags: Object.fromEntries(tags), versions: new Map(versions) };
}

/** The whole package document with one version deprecated, to be sent back. @returns null when it has no such version. */
export function deprecated(value: unknown, version: string, reason: string): Record<string, unknown> | null {
  const document = objectOf(value);
  const versions = objectOf(document['versions']);
  if (versions[version] === undefined) return null;
  return {
    ...document,
    versions: { ...versions, [version]: { ...objectOf(versions[version]), deprecated: reason } },
  };
}

function listedToken(list: unknown, token: string): Record<string, unknown> | undefined {
  return objectsOf(objectOf(list)['objects']).find(({ token: shown }) => {
    const start = typeof shown === 'string' ? shown.replace(/(?:\.{3}|…).*$/, '') : '';
    return start.length >= 6 && token.startsWith(start);
  });
}

/** Whether the registry's own list of tokens says that a token cannot publish. */
export function isReadOnly(list: unknown, token: string): boolean {
  return listedToken(list, token)?.['readonly'] === true;
}

/** Whether a token, by the registry's own list of tokens, opens more than one package; the list shows only how tokens begin. */
export function opensMore(list: unknown, token: string, name: string): 'this package' | 'more' | 'unknown' {
  const own = listedToken(list, token);
  if (own === undefined) return 'unknown';
  const scopes = objectsOf(own['scopes']);
  const isNarrow = scopes.length > 0 && scopes.every((scope) => scope['type'] === 'package' && scope['name'] === name);
  return isNarrow ? 'this package' : 'more';
}

/** The whole package document without one version and the tags that lead to it. @returns null when it has no such version. */
export function withoutVersion(
  value: unknown,
  version: string,
): { readonly document: Record<string, unknown>; readonly revision: string } | null {
  const document = objectOf(value);
  const versions = objectOf(document['versions']);
  if (versions[version] === undefined) return null;
  const without = (pairs: unknown, isOut: (pair: [string, unknown]) => boolean) =>
    Object.fromEntries(Object.entries(objectOf(pairs)).filter((pair) => !isOut(pair)));
  return {
    document: {
      ...document,
      versions: without(versions, ([name]) => name === version),
      'dist-tags': without(document['dist-tags'], ([, target]) => target === version),
    },
    revision: shownText(document['_rev'] ?? ''),
  };
}
