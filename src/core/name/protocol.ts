/** Stores: places that keep files. Each has code in `store`, and a protocol of its own for files without an index. */
export const stores = ['http-put', 's3', 'folder'] as const;

/** One of the stores. */
export type StoreName = (typeof stores)[number];

/** Layouts: sets of files with indexes, at any store. Each has rules in `core/protocol`. */
export const layouts = [
  'maven-layout',
  'simple-index',
  'npm-static',
  'crate-index',
  'go-proxy',
  'nuget-static',
] as const;

/** One of the layouts. */
export type LayoutName = (typeof layouts)[number];

/** The protocols that a stand-in serves. Each has a definition in `core/protocol`, `destination` and `standin`. */
export const remoteProtocols = [
  'npm-registry',
  'python-index',
  'nuget-v3',
  'crate-registry',
  'oci',
  ...layouts,
  'http-put',
  's3',
] as const;

/** All protocols that a destination can speak; a folder of this machine needs no server, and a repository has one of its own. */
export const protocols = [...remoteProtocols, 'git-tree', 'folder'] as const;

/** In a configuration also the name for a store without an index, which `over` names. */
export const plainLayoutName = 'plain';

/** One of the protocols that a stand-in serves. */
export type RemoteProtocol = (typeof remoteProtocols)[number];

/** One of the protocols. */
export type Protocol = (typeof protocols)[number];

/** Whether a stand-in serves a protocol. */
export function isServed(protocol: Protocol): protocol is RemoteProtocol {
  return remoteProtocols.some((remote) => remote === protocol);
}

/** Whether a destination is at the other end of a network: with a credential, tags, and agreement to an origin. */
export function isRemote({ over }: { readonly over: StoreName | null }): boolean {
  return over !== 'folder';
}

/** The layout that a protocol is; null for one that is none. */
export function layoutNamed(protocol: Protocol): LayoutName | null {
  return layouts.find((layout) => layout === protocol) ?? null;
}

/** The protocol that a destination's requests are made in: that of its store, where it has one. */
export function carrierOf({ speaks, over }: { readonly speaks: Protocol; readonly over: StoreName | null }): Protocol {
  return over ?? speaks;
}
