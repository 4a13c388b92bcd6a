import type { Protocol } from '../name/protocol.ts';
import type { ProtocolDefinition } from './definition.ts';
import { folder } from './folder/definition.ts';
import { httpPut } from './http-put/definition.ts';
import { mavenLayout } from './maven-layout/definition.ts';
import { npmRegistry } from './npm-registry/definition.ts';
import { nugetV3 } from './nuget-v3/definition.ts';
import { oci } from './oci/definition.ts';
import { pythonIndex } from './python-index/definition.ts';
import { s3 } from './s3/definition.ts';

/** Every protocol. */
export const protocolDefinitions: Readonly<Record<Protocol, ProtocolDefinition>> = {
  'npm-registry': npmRegistry,
  'python-index': pythonIndex,
  'nuget-v3': nugetV3,
  'maven-layout': mavenLayout,
  'http-put': httpPut,
  s3,
  oci,
  folder,
};
