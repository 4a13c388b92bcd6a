import path from 'node:path';
import type { FastifyInstance } from 'fastify';
import { renderListPage, renderPackagePage } from '../core/page/registry-page.ts';
import { pagePolicy } from '../core/text/page-policy.ts';
import type { Guard } from './guard.ts';
import { decodePart, Refusal } from './refusal.ts';
import { partsOf, type StandinService } from './service.ts';
import { namesIn, Store } from './store.ts';

const prefix = '/pages/';

/** What pages are made of. */
export type Pages = {
  /** Folder of all stores. */
  readonly store: string;
  readonly guard: Guard;
  /** The services that are shown, by their protocol. */
  readonly services: ReadonlyMap<string, StandinService>;
};

/** Serves a read-only page per package below `/pages/`: what the page of a registry would show. */
export function servePages(server: FastifyInstance, pages: Pages): void {
  server.get('/', async (_request, reply) => reply.redirect(prefix));
  server.get(`${prefix}*`, async (request, reply) => {
    pages.guard.read(request);
    reply.header('content-security-policy', pagePolicy).header('x-content-type-options', 'nosniff');
    reply.type('text/html; charset=utf-8');
    const [protocol = '', ...rest] = partsOf(request, prefix).parts.map(decodePart);
    if (protocol === '') return renderListPage(await listPackages(pages));
    const service = pages.services.get(protocol);
    const found = service === undefined ? null : await readPage(pages, service, rest.join('/'));
    if (found === null) throw new Refusal(404, 'not found');
    return renderPackagePage(found);
  });
}

async function readPage({ store }: Pages, service: StandinService, name: string) {
  return service.readPage === null ? null : service.readPage(new Store(path.join(store, service.path)), name);
}

/** Protocols that know packages by name, each with its packages. */
async function listPackages(pages: Pages): Promise<{ speaks: string; name: string }[]> {
  const all: { speaks: string; name: string }[] = [];
  for (const [speaks, service] of pages.services) {
    const names = service.readPage === null ? [] : await namesIn(path.join(pages.store, service.path));
    for (const name of names) if ((await readPage(pages, service, name)) !== null) all.push({ speaks, name });
  }
  return all;
}
