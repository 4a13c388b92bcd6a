/** The protocols that need a server at the other end. Each has a definition in `core/protocol`, `destination` and `standin`. */
export const remoteProtocols = [
  'npm-registry',
  'python-index',
  'nuget-v3',
  'maven-layout',
  'http-put',
  's3',
  'oci',
] as const;

/** All protocols that a destination can speak; a folder of this machine needs no server. */
export const protocols = [...remoteProtocols, 'folder'] as const;

/** One of the protocols that need a server. */
export type RemoteProtocol = (typeof remoteProtocols)[number];

/** One of the protocols. */
export type Protocol = (typeof protocols)[number];

/** Whether a destination is at the other end of a network: with a credential, tags, and agreement to an origin. */
export function isRemote(protocol: Protocol): protocol is RemoteProtocol {
  return remoteProtocols.some((remote) => remote === protocol);
}
