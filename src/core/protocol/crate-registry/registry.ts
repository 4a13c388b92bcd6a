import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { indexPath } from '../crate-index/crate-path.ts';

// A registry of crates (The Cargo Book, "Registry Index" for its configuration, "Registry Web API" for the rest).

/** What `config.json` of an index says. */
export type RegistryConfig = {
  /** Template of the address of a crate. */
  readonly dl: string;
  /** Where the web interface is, without `/` behind; null for an index that is only read. */
  readonly api: string | null;
};

/** Reads `config.json`; null for a value that is none. */
export function parseRegistryConfig(value: unknown): RegistryConfig | null {
  const dl = textOf(objectOf(value)['dl']);
  return dl === null ? null : { dl, api: textOf(objectOf(value)['api'])?.replace(/\/+$/, '') ?? null };
}

/** Where a crate is downloaded ("Index Configuration", the markers of `dl`). */
export function downloadUrl(
  { dl }: RegistryConfig,
  { name, version, sha256 }: { readonly name: string; readonly version: string; readonly sha256: string },
): string {
  const folder = indexPath(name).split('/').slice(0, -1).join('/');
  const values: Readonly<Record<string, string>> = {
    '{crate}': name,
    '{version}': version,
    '{prefix}': casedPrefix(name),
    '{lowerprefix}': folder,
    '{sha256-checksum}': sha256,
  };
  if (!Object.keys(values).some((marker) => dl.includes(marker))) return `${dl}/${name}/${version}/download`;
  return dl.replace(/\{[a-z0-9-]+\}/g, (marker) => values[marker] ?? marker);
}

function casedPrefix(name: string): string {
  if (name.length <= 2) return String(name.length);
  return name.length === 3 ? `3/${name[0]}` : `${name.slice(0, 2)}/${name.slice(2, 4)}`;
}

/** What stands before the file in the body of a publish request: two lengths in four bytes each, the lowest first, and the metadata. */
export function publishHead(metadata: Readonly<Record<string, unknown>>, crateBytes: number): Buffer {
  const json = Buffer.from(JSON.stringify(metadata));
  const head = Buffer.alloc(json.length + 8);
  head.writeUInt32LE(json.length, 0);
  json.copy(head, 4);
  head.writeUInt32LE(crateBytes, json.length + 4);
  return head;
}

/** The sentence of an error answer, which may come with status 200; null when it is none. */
export function errorIn(value: unknown): string | null {
  const details = objectsOf(objectOf(value)['errors']).flatMap(({ detail }) => textOf(detail) ?? []);
  return details.length === 0 ? null : details.join('; ');
}

/** Login names in an answer to the owners query. */
export function ownersIn(value: unknown): string[] {
  return objectsOf(objectOf(value)['users']).flatMap(({ login }) => textOf(login) ?? []);
}
