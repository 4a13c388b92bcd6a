import { createHash, createHmac } from 'node:crypto';

// Signature Version 4 for object stores ("Authenticating Requests: Using the Authorization Header"), the server's side.

/** A request as it was signed. */
export type SignedRequest = {
  readonly method: string;
  /** As it stands in the request line: encoded, without the question mark. */
  readonly path: string;
  /** Behind the question mark, still encoded. */
  readonly query: string;
  /** Names in lower case. */
  readonly headers: Readonly<Record<string, string | undefined>>;
};

/** The parts of an `Authorization` header of this kind. */
export type Signature = {
  readonly accessKey: string;
  /** `20261123/region/s3/aws4_request` */
  readonly scope: string;
  readonly signedHeaders: readonly string[];
  readonly signature: string;
};

/** Reads the header; null when it is of another kind. */
export function parseSignature(header: string | undefined): Signature | null {
  const match =
    /^AWS4-HMAC-SHA256\s+Credential=([^/,\s]+)\/([^,\s]+),\s*SignedHeaders=([^,\s]+),\s*Signature=([0-9a-f]{64})$/.exec(
      header ?? '',
    );
  if (match === null) return null;
  const [, accessKey = '', scope = '', signed = '', signature = ''] = match;
  return { accessKey, scope, signedHeaders: signed.split(';'), signature };
}

/** What the signature of a request has to be for this secret key, in hexadecimal. */
export function computeSignature(
  request: SignedRequest,
  { scope, signedHeaders }: Signature,
  secretKey: string,
): string {
  const { method, path, query, headers } = request;
  const canonical = [
    method,
    path,
    canonicalQuery(query),
    ...signedHeaders.map((name) => `${name}:${(headers[name] ?? '').trim().replace(/ +/g, ' ')}`),
    '',
    signedHeaders.join(';'),
    headers['x-amz-content-sha256'] ?? '',
  ].join('\n');
  const text = ['AWS4-HMAC-SHA256', headers['x-amz-date'] ?? '', scope, sha256(canonical)].join('\n');
  const key = scope.split('/').reduce<string | Buffer>((last, part) => hmac(last, part), `AWS4${secretKey}`);
  return hmac(key, text).toString('hex');
}

/** Pairs sorted by name; a name without a value gets an empty one. */
function canonicalQuery(query: string): string {
  return query
    .split('&')
    .filter((pair) => pair !== '')
    .map((pair) => (pair.includes('=') ? pair : `${pair}=`))
    .sort()
    .join('&');
}

function hmac(key: string | Buffer, text: string): Buffer {
  return createHmac('sha256', key).update(text).digest();
}

function sha256(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}
