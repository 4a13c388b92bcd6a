import type { ProtocolDefinition } from '../definition.ts';
import { fileLines } from '../fetch-lines.ts';
import { plainProtocol, tokenOnly } from '../traits.ts';

/** A bucket of an object store. */
export const s3: ProtocolDefinition = {
  ...plainProtocol,
  title: 'bucket of an object store',
  forms: null,
  bareSecret: tokenOnly,
  client: 'fetch',
  compared: null,
  usesAccessKeys: true,
  furtherOrigins: (origin, { bucket, 'path-style': pathStyle }) =>
    bucket === null || pathStyle ? [] : [bucketOrigin(origin, bucket)],
  lines: fileLines,
  setUp: () => [],
};

/** Object stores put the bucket before the host name ("Virtual-hosted-style requests"). */
function bucketOrigin(origin: string, bucket: string): string {
  const url = new URL(origin);
  url.hostname = `${bucket}.${url.hostname}`;
  return url.origin;
}
