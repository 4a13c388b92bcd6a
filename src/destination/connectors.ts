import type { Protocol } from '../core/name/protocol.ts';
import type { Connect } from './destination.ts';

const layout = async () => (await import('./layout/layout.ts')).connectLayout;

/** What opens a destination of each protocol, loaded when it is used: some of the code is large. */
export const connectors: Readonly<Record<Protocol, () => Promise<Connect>>> = {
  'npm-registry': async () => (await import('./npm-registry/npm-registry.ts')).connectNpmRegistry,
  'python-index': async () => (await import('./python-index/python-index.ts')).connectPythonIndex,
  'nuget-v3': async () => (await import('./nuget-v3/nuget-v3.ts')).connectNugetV3,
  'http-put': async () => (await import('./http-put/http-put.ts')).connectHttpPut,
  s3: async () => (await import('./s3/s3.ts')).connectS3,
  oci: async () => (await import('./oci/oci.ts')).connectOci,
  'crate-registry': async () => (await import('./crate-registry/crate-registry.ts')).connectCrateRegistry,
  'maven-layout': layout,
  'simple-index': layout,
  'npm-static': layout,
  'crate-index': layout,
  'go-proxy': layout,
  'nuget-static': layout,
  'git-tree': async () => (await import('./git-tree/git-tree.ts')).connectGitTree,
  folder: async () => (await import('./folder/folder.ts')).connectFolder,
};
