import { objectOf, objectsOf, shownText, textOf } from '../manifest/fields.ts';
import { hexDigest } from './digest.ts';
import {
  type DependencyKind,
  dependencyKinds,
  type PackageRole,
  type Sbom,
  type SbomFile,
  type SbomPackage,
  type SbomPatch,
  type SbomRelation,
  sbomPackage,
} from './sbom.ts';

type Json = Readonly<Record<string, unknown>>;

/** An SBOM from a CycloneDX document in JSON, from any author; unknown fields are ignored. */
export function readCycloneDx(document: Json): Sbom {
  const metadata = objectOf(document['metadata']);
  const collected = new Collector();
  const main =
    metadata['component'] === undefined ? [] : [collected.add(objectOf(metadata['component']), null, 'subject')];
  for (const item of objectsOf(document['components'])) collected.add(item, null, null);
  for (const { ref, dependsOn } of objectsOf(document['dependencies']))
    for (const to of [dependsOn ?? []].flat()) collected.need(shownText(ref), shownText(to));
  const tool = objectsOf(objectOf(metadata['tools'])['components'] ?? metadata['tools'])[0] ?? {};
  return {
    name: [main[0]?.name, main[0]?.version].filter((part) => part != null).join(' '),
    created: textOf(metadata['timestamp']) ?? '1970-01-01T00:00:00Z',
    tool: tool['name'] === undefined ? '' : `${shownText(tool['name'])}-${shownText(tool['version'] ?? '0')}`,
    namespace: null,
    organisation: textOf(objectOf(metadata['supplier'])['name']) ?? textOf(objectOf(metadata['manufacture'])['name']),
    subjects: collected.subjects(main.map(({ id }) => id)),
    packages: collected.packages(),
    relations: collected.relations,
    unknown: objectsOf(document['properties']).flatMap(({ name, value }) =>
      name === 'bevelstone:unknown' ? [shownText(value)] : [],
    ),
  };
}

class Collector {
  readonly relations: SbomRelation[] = [];
  readonly #byReference = new Map<string, SbomPackage>();
  readonly #files = new Map<string, SbomFile[]>();
  readonly #kinds = new Map<string, DependencyKind>();
  #count = 0;

  /** A component with what stands inside it; files go to the package around them. */
  add(item: Json, owner: string | null, role: PackageRole | null): SbomPackage {
    this.#count++;
    const id = textOf(item['bom-ref']) ?? `${shownText(item['name'])}-${this.#count}`;
    const property = (name: string) => objectsOf(item['properties']).find((each) => each['name'] === name)?.['value'];
    const declared = textOf(property('bevelstone:role')) as PackageRole | null;
    const made = toPackage({
      entry: item,
      id,
      role: role ?? declared ?? 'dependency',
      properties: objectsOf(item['properties']),
    });
    const kind =
      textOf(property('bevelstone:dependency')) ??
      (item['scope'] === 'optional' ? 'optional' : item['scope'] === 'excluded' ? 'development' : 'run');
    this.#kinds.set(id, dependencyKinds.includes(kind as DependencyKind) ? (kind as DependencyKind) : 'run');
    this.#byReference.set(id, made);
    if (owner !== null) this.relations.push({ from: owner, to: id, type: 'contains' });
    const files: SbomFile[] = [];
    for (const part of objectsOf(item['components'])) {
      const isArtifact = objectsOf(part['properties']).some(({ name }) => name === 'bevelstone:role');
      if (part['type'] === 'file' && !isArtifact) files.push(toFile(part));
      else this.add(part, id, null);
    }
    if (files.length > 0) this.#files.set(id, files);
    return made;
  }

  need(from: string, to: string): void {
    const [a, b] = [this.#byReference.get(from), this.#byReference.get(to)];
    if (a === undefined || b === undefined) return;
    this.relations.push({ from, to, type: b.role === 'source' ? 'generated-from' : (this.#kinds.get(to) ?? 'run') });
  }

  packages(): SbomPackage[] {
    return [...this.#byReference.values()].map((pkg) => ({ ...pkg, files: this.#files.get(pkg.id) ?? null }));
  }

  /** Further subjects of a merged SBOM stand among the components. */
  subjects(main: readonly string[]): string[] {
    const more = [...this.#byReference.values()].filter(({ role }) => role === 'subject').map(({ id }) => id);
    return [...new Set([...main, ...more])];
  }
}

function toPackage({
  entry,
  id,
  role,
  properties,
}: {
  readonly entry: Json;
  readonly id: string;
  readonly role: PackageRole;
  readonly properties: readonly Json[];
}): SbomPackage {
  const values = (name: string) =>
    properties.flatMap((each) => (each['name'] === name ? [shownText(each['value'])] : []));
  const pedigree = objectOf(entry['pedigree']);
  const patches = patchesOf(pedigree);
  // Of a patched package, its makers' release has the digests and the address.
  const origin = patches.length > 0 ? (objectsOf(pedigree['ancestors'])[0] ?? entry) : entry;
  const address = objectsOf(origin['externalReferences']).find(
    ({ type }) => type === 'distribution' || type === 'vcs',
  )?.['url'];
  return sbomPackage({
    id,
    role,
    name: [textOf(entry['group']), textOf(entry['name'])].filter((part) => part !== null).join('/'),
    version: textOf(entry['version']),
    purl: textOf(entry['purl']),
    licence: licenceOf(entry),
    supplier: textOf(objectOf(entry['supplier'])['name']) ?? textOf(entry['publisher']),
    copyright: textOf(entry['copyright']),
    description: textOf(entry['description']),
    patches,
    digests: objectsOf(origin['hashes']).flatMap(
      ({ alg, content }) => hexDigest(shownText(alg), shownText(content)) ?? [],
    ),
    fileName: values('bevelstone:file')[0] ?? null,
    location: textOf(address),
    foundIn: values('bevelstone:found-in'),
    comment: values('bevelstone:comment')[0] ?? rangeOf(entry),
  });
}

/** Patches by the addresses of their differences; our own notes have a digest of each. */
function patchesOf(pedigree: Json): SbomPatch[] {
  const lines = shownText(pedigree['notes'] ?? '').split('\n');
  return objectsOf(pedigree['patches']).map((patch, index) => {
    const diff = objectOf(patch['diff']);
    const text = objectOf(diff['text']);
    const file = textOf(diff['url']) ?? `patch ${index + 1}`;
    const noted = lines.find((line) => line.startsWith(`${file} `)) ?? '';
    const digest = (name: string) => new RegExp(`${name}:([0-9a-f]+)`).exec(noted)?.[1] ?? '';
    const base64 = text['encoding'] === 'base64' ? textOf(text['content']) : null;
    return { file, sha1: digest('sha1'), sha256: digest('sha256'), base64 };
  });
}

/** A component from outside may have a range in place of a version (CycloneDX 1.7, `versionRange`). */
function rangeOf(entry: Json): string | null {
  const range = textOf(entry['versionRange']);
  return range === null ? null : `asked for as ${range}`;
}

function licenceOf(item: Json): string | null {
  const names = objectsOf(item['licenses']).flatMap((each) => {
    const licence = objectOf(each['license']);
    return textOf(each['expression']) ?? textOf(licence['id']) ?? textOf(licence['name']) ?? [];
  });
  return names.length === 0 ? null : names.join(' AND ');
}

function toFile(item: Json): SbomFile {
  const digests = objectsOf(item['hashes']);
  const value = (algorithm: string) => shownText(digests.find(({ alg }) => alg === algorithm)?.['content'] ?? '');
  const licence = licenceOf(item);
  return {
    path: shownText(item['name'] ?? ''),
    sha1: value('SHA-1'),
    sha256: value('SHA-256'),
    licences: licence === null ? [] : [licence],
    copyright: textOf(item['copyright']),
  };
}
