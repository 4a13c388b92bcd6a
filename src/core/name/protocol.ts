/** The protocols that a destination can speak. Each has a definition in `core/protocol`, `destination` and `standin`. */
export const protocols = [
  'npm-registry',
  'python-index',
  'nuget-v3',
  'maven-layout',
  'http-put',
  's3',
  'oci',
  'folder',
] as const;

/** One of the protocols. */
export type Protocol = (typeof protocols)[number];
