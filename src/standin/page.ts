import path from 'node:path';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { objectOf, textOf } from '../core/manifest/fields.ts';
import { renderListPage, renderPackagePage, type ShownPackage } from '../core/page/registry-page.ts';
import { pagePolicy } from '../core/text/page-policy.ts';
import { compareVersions, isVersion } from '../core/version/version.ts';
import type { Guard } from './guard.ts';
import type { StoredPackage } from './npm-registry/npm-registry.ts';
import type { StoredNuget } from './nuget-v3/nuget-v3.ts';
import type { StoredProject } from './python-index/python-index.ts';
import { decodePart, Refusal } from './refusal.ts';
import { partsOf } from './service.ts';
import { namesIn, Store } from './store.ts';

const prefix = '/pages/';

type Shelf = { readonly path: string; readonly read: (store: Store, name: string) => Promise<ShownPackage | null> };

/** Protocols that know packages by name. */
const shelves: Readonly<Record<string, Shelf>> = {
  'npm-registry': { path: 'node/', read: readNpm },
  'python-index': { path: 'python/', read: readPython },
  'nuget-v3': { path: 'nuget/', read: readNuget },
};

/** Serves a read-only page per package below `/pages/`: what the page of a registry would show. */
export function servePages(
  server: FastifyInstance,
  { store, guard, speaks }: { readonly store: string; readonly guard: Guard; readonly speaks: readonly string[] },
): void {
  const shown = Object.entries(shelves).filter(([protocol]) => speaks.includes(protocol));
  server.get('/', async (_request, reply) => reply.redirect(prefix));
  server.get(`${prefix}*`, async (request: FastifyRequest, reply: FastifyReply) => {
    guard.read(request);
    reply.header('content-security-policy', pagePolicy).header('x-content-type-options', 'nosniff');
    reply.type('text/html; charset=utf-8');
    const [protocol = '', ...rest] = partsOf(request, prefix).parts.map(decodePart);
    if (protocol === '') return renderListPage(await list());
    const shelf = shown.find(([one]) => one === protocol)?.[1];
    const found =
      shelf === undefined ? null : await shelf.read(new Store(path.join(store, shelf.path)), rest.join('/'));
    if (found === null) throw new Refusal(404, 'not found');
    return renderPackagePage(found);
  });

  async function list() {
    const all: { speaks: string; name: string }[] = [];
    for (const [protocol, shelf] of shown) {
      const own = new Store(path.join(store, shelf.path));
      for (const name of await namesIn(own.folder))
        if ((await shelf.read(own, name)) !== null) all.push({ speaks: protocol, name });
    }
    return all;
  }
}

async function readNpm(store: Store, name: string): Promise<ShownPackage | null> {
  const stored = await store.readJson<StoredPackage>(name, 'document');
  if (stored === null) return null;
  const latest = stored['dist-tags']['latest'] ?? Object.keys(stored.versions).at(-1) ?? '';
  return {
    speaks: 'npm-registry',
    name,
    version: latest,
    description: textOf(stored.description) ?? '',
    readme: textOf(stored.readme),
    pointers: Object.entries(stored['dist-tags']),
    files: byVersion(Object.keys(stored.versions)).map((version) => {
      const manifest = objectOf(stored.versions[version]);
      const note = textOf(manifest['deprecated']);
      return {
        version,
        file: `${name.split('/').at(-1)}-${version}.tgz`,
        digest: textOf(objectOf(manifest['dist'])['integrity']) ?? '',
        note: note === null ? null : `deprecated: ${note}`,
      };
    }),
  };
}

async function readPython(store: Store, name: string): Promise<ShownPackage | null> {
  const stored = await store.readJson<StoredProject>(name, 'project');
  if (stored === null) return null;
  return {
    speaks: 'python-index',
    name,
    version: stored.files.at(-1)?.version ?? '',
    description: stored.summary,
    readme: stored.description === '' ? null : stored.description,
    pointers: [],
    files: [...stored.files].reverse().map(({ version, filename, sha256, yanked }) => ({
      version,
      file: filename,
      digest: `sha256:${sha256}`,
      note: yanked === false ? null : `yanked: ${yanked}`,
    })),
  };
}

async function readNuget(store: Store, name: string): Promise<ShownPackage | null> {
  const stored = await store.readJson<StoredNuget>(name, 'package');
  if (stored === null) return null;
  const last = stored.versions.at(-1);
  return {
    speaks: 'nuget-v3',
    name: stored.id,
    version: last?.version ?? '',
    description: last?.description ?? '',
    readme: null,
    pointers: [],
    files: [...stored.versions].reverse().map(({ version, sha256, isListed }) => ({
      version,
      file: `${stored.id}.${version}.nupkg`,
      digest: `sha256:${sha256}`,
      note: isListed ? null : 'unlisted',
    })),
  };
}

function byVersion(versions: readonly string[]): string[] {
  return versions.filter(isVersion).sort((a, b) => compareVersions(b, a));
}
