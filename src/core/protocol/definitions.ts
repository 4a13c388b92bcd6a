import type { Protocol } from '../name/protocol.ts';
import { crateIndexProtocol } from './crate-index/definition.ts';
import { crateRegistry } from './crate-registry/definition.ts';
import type { ProtocolDefinition } from './definition.ts';
import { folder } from './folder/definition.ts';
import { gitTree } from './git-tree/definition.ts';
import { goProxyProtocol } from './go-proxy/definition.ts';
import { httpPut } from './http-put/definition.ts';
import { mavenLayout } from './maven-layout/definition.ts';
import { npmRegistry } from './npm-registry/definition.ts';
import { npmStaticProtocol } from './npm-static/definition.ts';
import { nugetStaticProtocol } from './nuget-static/definition.ts';
import { nugetV3 } from './nuget-v3/definition.ts';
import { oci } from './oci/definition.ts';
import { pythonIndex } from './python-index/definition.ts';
import { s3 } from './s3/definition.ts';
import { simpleIndexProtocol } from './simple-index/definition.ts';

/** Every protocol. */
export const protocolDefinitions: Readonly<Record<Protocol, ProtocolDefinition>> = {
  'npm-registry': npmRegistry,
  'python-index': pythonIndex,
  'nuget-v3': nugetV3,
  'maven-layout': mavenLayout,
  'crate-registry': crateRegistry,
  'simple-index': simpleIndexProtocol,
  'npm-static': npmStaticProtocol,
  'crate-index': crateIndexProtocol,
  'go-proxy': goProxyProtocol,
  'nuget-static': nugetStaticProtocol,
  'http-put': httpPut,
  s3,
  oci,
  'git-tree': gitTree,
  folder,
};
