import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { textOf } from '../../core/manifest/fields.ts';
import { parseNuspec } from '../../core/manifest/nuspec.ts';
import { formatRegistration, formatServiceIndex, normaliseNugetVersion } from '../../core/protocol/nuget-v3/nuget.ts';
import { compareVersions } from '../../core/version/version.ts';
import { readArchive } from '../../world/archive/read-archive.ts';
import { receiveForm } from '../form.ts';
import { decodePart, Refusal } from '../refusal.ts';
import { baseOf, type Call, partsOf, plainService, roomOf, type StandinService, sendFile } from '../service.ts';
import type { Received } from '../store.ts';
import { readNugetPage } from './nuget-page.ts';
import type { StoredNuget } from './stored-nuget.ts';

const prefix = '/nuget/';
const idPattern = /^\w+(?:[_.-]\w+)*$/;
const versionPattern = /^\d+\.\d+(?:\.\d+){0,2}(?:-[0-9A-Za-z.-]+)?(?:\+[0-9A-Za-z.-]+)?$/;

/** Packages for .NET below `/nuget/`; the service index is `/nuget/index.json`. */
export const nugetV3: StandinService = {
  ...plainService,
  readPage: readNugetPage,
  path: 'nuget/',
  address: 'nuget/',
  serve: (server, service) => {
    server.route({
      method: ['GET', 'HEAD', 'PUT', 'DELETE'],
      url: `${prefix}*`,
      handler: (request, reply) => route({ ...service, request, reply }),
    });
  },
};

async function route(call: Call): Promise<unknown> {
  const { request, reply, guard, store } = call;
  const [area = '', ...rest] = partsOf(request, prefix).parts.map(decodePart);
  if (request.method === 'PUT' && area === 'package') return push(call, 'nupkg');
  if (request.method === 'PUT' && area === 'symbolpackage') return push(call, 'snupkg');
  if (request.method === 'DELETE' && area === 'package') return unlist(call, rest);
  if (request.method !== 'GET' && request.method !== 'HEAD') throw new Refusal(405, 'not allowed');
  guard.read(request);
  reply.type('application/json');
  const base = baseOf(request, prefix);
  if (area === '' || area === 'index.json') return formatServiceIndex(base);
  const [id = '', second = '', file = ''] = rest;
  if (id !== id.toLowerCase()) throw new Refusal(404, 'addresses are in lower case');
  const stored = await visible(call, id);
  if (area === 'registration' && second === 'index.json') {
    const entries = [...stored.versions].sort((a, b) => compareVersions(a.version, b.version));
    return formatRegistration(base, stored.id, entries);
  }
  if (area !== 'flat') throw new Refusal(404, 'not found');
  const versions = stored.versions.map(({ version }) => normaliseNugetVersion(version));
  if (second === 'index.json') return JSON.stringify({ versions });
  if (!versions.includes(second) || file !== `${id}.${second}.nupkg`) throw new Refusal(404, 'not found');
  return sendFile(call, store.place(id, `${second}.nupkg`));
}

async function push(call: Call, kind: 'nupkg' | 'snupkg'): Promise<unknown> {
  const { guard, request, store, maxBytes, reply } = call;
  if (guard.tokenOf(request)?.may !== 'write') guard.write(request);
  const form = await receiveForm(request, store, {
    digests: ['sha256'],
    maxBytes,
    ...roomOf(call),
  });
  try {
    const [received] = form.files.values();
    if (received === undefined || received.sizeBytes === 0) throw new Refusal(400, 'the form has no package');
    const about = await readNuspec(received);
    guard.write(request, about.id);
    const key = about.id.toLowerCase();
    await store.alone(key, () => take(call, { kind, key, about, received }));
    return reply.code(201).send('');
  } finally {
    for (const file of form.files.values()) await store.discard(file);
  }
}

async function take(
  { store, guard, request, now, faults }: Call,
  { kind, key, about, received }: PushedPackage,
): Promise<void> {
  const normal = normaliseNugetVersion(about.version);
  const before = await store.readJson<StoredNuget>(key, 'package');
  const known = before?.versions.find(({ version }) => normaliseNugetVersion(version) === normal);
  if (kind === 'snupkg') {
    if (known === undefined)
      throw new Refusal(404, `there is no ${about.id} ${about.version} that these symbols are of`);
    return store.replace(received, store.place(key, `${normal}.snupkg`));
  }
  const owner = guard.tokenOf(request)?.user ?? '';
  if (before !== null && before.owner !== owner) throw new Refusal(403, `the id ${about.id} has another owner`);
  if (known !== undefined) throw new Refusal(409, `${about.id} ${about.version} exists already`);
  await store.replace(received, store.place(key, `${normal}.nupkg`));
  const at = now();
  const hideMs = faults.take('hide', request)?.ms ?? 0;
  const version = {
    ...about,
    published: at.toISOString(),
    visibleFrom: new Date(at.getTime() + hideMs).toISOString(),
    isListed: true,
    sizeBytes: received.sizeBytes,
    sha256: received.digests['sha256'] ?? '',
  };
  await store.writeJson({ id: about.id, owner, versions: [...(before?.versions ?? []), version] }, key, 'package');
}

async function unlist({ guard, request, store, reply }: Call, [id = '', version = '']: readonly string[]) {
  guard.write(request, id);
  const key = id.toLowerCase();
  return store.alone(key, async () => {
    const stored = await store.readJson<StoredNuget>(key, 'package');
    const normal = normaliseNugetVersion(version);
    const isThere = stored?.versions.some((version) => normaliseNugetVersion(version.version) === normal);
    if (stored === null || !isThere) throw new Refusal(404, 'not found');
    const versions = stored.versions.map((version) =>
      normaliseNugetVersion(version.version) === normal ? { ...version, isListed: false } : version,
    );
    await store.writeJson({ ...stored, versions }, key, 'package');
    return reply.code(204).send();
  });
}

/** What readers see by now. */
async function visible({ store, now }: Call, id: string): Promise<StoredNuget> {
  const stored = await store.readJson<StoredNuget>(id, 'package');
  const versions = (stored?.versions ?? []).filter(({ visibleFrom }) => Date.parse(visibleFrom) <= now().getTime());
  if (stored === null || versions.length === 0) throw new Refusal(404, 'not found');
  return { ...stored, versions };
}

/** A package that came in, with what it says of itself. */
type PushedPackage = {
  readonly kind: 'nupkg' | 'snupkg';
  readonly key: string;
  readonly about: About;
  readonly received: Received;
};

type About = { readonly id: string; readonly version: string; readonly description: string; readonly authors: string };

/** What a package says of itself, and whether a server would take it. */
async function readNuspec({ file }: Received): Promise<About> {
  try {
    const archive = await readArchive(file, { wants: (name) => /^[^/]+\.nuspec$/i.test(name) });
    const [found] = archive.kept;
    const metadata = found === undefined ? {} : parseNuspec(found[1].toString('utf8'), found[0]);
    const [id, version] = [textOf(metadata['id']) ?? '', textOf(metadata['version']) ?? ''];
    if (!idPattern.test(id) || id.length > 100) throw new Refusal(400, 'the package has no valid id');
    if (!versionPattern.test(version)) throw new Refusal(400, 'the package has no valid version');
    const description = textOf(metadata['description']) ?? '';
    const authors = textOf(metadata['authors']) ?? '';
    if (description === '' || authors === '') throw new Refusal(400, 'description and authors are needed');
    return { id, version, description, authors };
  } catch (error) {
    if (isBevelstoneError(error)) throw new Refusal(400, `this is not a package: ${error.message}`);
    throw error;
  }
}
