import { S3Client, type S3ClientConfig } from '@aws-sdk/client-s3';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Credential } from './credential.ts';
import { timeLimits } from './time-limit.ts';

/** How an object store is reached. */
export type ObjectStorePlace = {
  readonly url: string;
  /** Null for that of the environment, else `us-east-1`. */
  readonly region: string | null;
  readonly pathStyle: boolean;
  readonly credential: Credential;
};

const quietVariable = 'AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED';

/** The library's own notices are for its developers. The variable must not stay: build steps would get it. */
function quietly(make: () => S3Client): S3Client {
  const before = process.env[quietVariable];
  process.env[quietVariable] = 'true';
  try {
    return make();
  } finally {
    if (before === undefined) delete process.env[quietVariable];
    else process.env[quietVariable] = before;
  }
}

/** What the answers of a store told of it; null until they do. */
export type StoreSeen = { server: string | null; skewMs: number | null };

/** A client of an object store, and what it will have seen. It sends no request yet. @throws CREDENTIAL_KIND */
export function makeObjectStoreClient({ url, region, pathStyle, credential }: ObjectStorePlace): {
  readonly client: S3Client;
  readonly seen: StoreSeen;
} {
  const settings: S3ClientConfig = {
    endpoint: url,
    region: region ?? process.env['AWS_REGION'] ?? 'us-east-1',
    forcePathStyle: pathStyle,
    // Digests of ours go along with every request that has a body.
    requestChecksumCalculation: 'WHEN_REQUIRED',
    responseChecksumValidation: 'WHEN_REQUIRED',
    // Parts are small: asking first whether one may be sent takes longer than sending it.
    expectContinueHeader: false,
    maxAttempts: 4,
    requestHandler: { connectionTimeout: timeLimits.connectMs, socketTimeout: timeLimits.idleMs },
    ...credentialsOf(credential),
  };
  const client = quietly(() => new S3Client(settings));
  // The digest of a body is known already: signed as it stands, it is not taken a second time.
  client.middlewareStack.add(
    (next) => (args) => {
      const { headers } = args.request as { headers: Record<string, string> };
      const digest = headers['x-amz-checksum-sha256'];
      if (digest !== undefined) headers['x-amz-content-sha256'] = Buffer.from(digest, 'base64').toString('hex');
      return next(args);
    },
    { step: 'build', name: 'digestOnce', priority: 'low' },
  );
  const seen: StoreSeen = { server: null, skewMs: null };
  client.middlewareStack.add(
    (next) => async (args) => {
      const found = await next(args);
      const { headers } = found.response as { headers: Record<string, string | undefined> };
      seen.server = headers['server']?.slice(0, 60) ?? null;
      const at = Date.parse(headers['date'] ?? '');
      seen.skewMs = Number.isNaN(at) ? null : at - Date.now();
      return found;
    },
    // Behind the parser, where the answer is still as it came.
    { step: 'deserialize', name: 'seen', priority: 'low' },
  );
  return { client, seen };
}

/** Keys, the usual chain, or none at all. */
function credentialsOf(credential: Credential): Partial<S3ClientConfig> {
  if (credential.type === 'chain') return {};
  if (credential.type === 'keys') {
    const { accessKey, secretKey, session } = credential;
    const keys = { accessKeyId: accessKey, secretAccessKey: secretKey };
    return { credentials: session === null ? keys : { ...keys, sessionToken: session } };
  }
  if (credential.type === 'none') return { signer: { sign: async (request) => request } };
  throw new BevelstoneError('CREDENTIAL_KIND', {
    message: 'invalid credential for s3',
    why: 'an object store needs an access key and a secret key; in one text, exactly one colon stands between them',
    fix: 'Write { access-key: REF, secret-key: REF }, a reference to ACCESS:SECRET, or chain',
    where: { file: 'bevelstone.yaml' },
  });
}
