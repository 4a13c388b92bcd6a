import { quoteShell } from '../../text/quote-shell.ts';
import type { ProtocolDefinition } from '../definition.ts';
import { fileLines } from '../fetch-lines.ts';
import { type ClientLine, type Offer, readerVariable } from '../offer.ts';
import { plainProtocol, tokenOnly } from '../traits.ts';
import { bucketAddress } from './bucket-address.ts';

/** A bucket of an object store. */
export const s3: ProtocolDefinition = {
  ...plainProtocol,
  title: 'bucket of an object store',
  forms: null,
  bareSecret: tokenOnly,
  client: 'fetch',
  compared: null,
  usesAccessKeys: true,
  filesUrl: bucketAddress,
  furtherOrigins: (origin, { bucket, 'path-style': pathStyle }) =>
    bucket === null || pathStyle ? [] : [bucketOrigin(origin, bucket)],
  lines: (offer) => [...fileLines(offer), ...signedLines(offer)],
  setUp: () => [],
};

const digestOfNothing = 'e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855';

/** The same for a bucket that only those with keys may read (curl(1), --aws-sigv4). */
function signedLines(offer: Offer): ClientLine[] {
  const [key, secret] = ['READ_KEY', 'READ_SECRET'].map((what) => readerVariable(offer.destination, what));
  const signed = `--aws-sigv4 ${quoteShell(`aws:amz:${offer.config.region ?? 'us-east-1'}:s3`)} --user "$${key}:$${secret}"`;
  // The digest of no body; older versions of curl do not say it by themselves.
  const fetch = { client: 'curl, with keys', words: `curl -fsSL ${signed} -H x-amz-content-sha256:${digestOfNothing}` };
  return fileLines(offer, fetch).filter(({ client }) => client === fetch.client);
}

/** Object stores put the bucket before the host name ("Virtual-hosted-style requests"). */
function bucketOrigin(origin: string, bucket: string): string {
  const url = new URL(origin);
  url.hostname = `${bucket}.${url.hostname}`;
  return url.origin;
}
