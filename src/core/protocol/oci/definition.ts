import type { ProtocolDefinition } from '../definition.ts';
import { curlSetUp } from '../fetch-lines.ts';
import { plainProtocol, tokenOrUser } from '../traits.ts';
import { ociLines } from './oci-lines.ts';

/** A registry of the OCI distribution specification. */
export const oci: ProtocolDefinition = {
  ...plainProtocol,
  title: 'registry of the OCI Distribution Specification 1.1',
  forms: null,
  bareSecret: tokenOrUser,
  client: 'fetch',
  compared: null,
  lines: ociLines,
  setUp: curlSetUp,
};
