import { Agent, type Dispatcher, EnvHttpProxyAgent, request } from 'undici';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';

/** A request; the body may be any size, its length is told exactly. */
export type HttpRequest = {
  readonly method: 'GET' | 'PUT' | 'POST' | 'DELETE';
  readonly url: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: { readonly chunks: AsyncIterable<Uint8Array>; readonly sizeBytes: number };
  readonly signal?: AbortSignal;
};

/** An answer, its body still to be read. */
export type HttpAnswer = {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly chunks: AsyncIterable<Uint8Array>;
};

const mostText = 32 << 20;
const mostRedirects = 5;
const timeouts = { headersTimeout: 60_000, bodyTimeout: 60_000, connect: { timeout: 10_000 } };
const isProxied = ['HTTP_PROXY', 'HTTPS_PROXY', 'http_proxy', 'https_proxy'].some((name) => process.env[name]);
const agent: Dispatcher = isProxied ? new EnvHttpProxyAgent(timeouts) : new Agent(timeouts);

/**
 * Sends a request. A GET follows redirects, and loses `authorization` when one leads to another origin.
 * @throws DESTINATION_UNREACHABLE, saying whether the name, the connection or the time was the trouble.
 */
export async function send(wanted: HttpRequest): Promise<HttpAnswer> {
  let { url } = wanted;
  let headers: Record<string, string> = { 'user-agent': 'bevelstone', ...wanted.headers };
  for (let hop = 0; ; hop++) {
    const answer = await sendOnce({ ...wanted, url, headers });
    const location = answer.headers['location'];
    if (
      wanted.method !== 'GET' ||
      answer.status < 300 ||
      answer.status > 399 ||
      typeof location !== 'string' ||
      hop >= mostRedirects
    )
      return answer;
    for await (const _ of answer.chunks); // the connection is free again only when the body is read
    const next = new URL(location, url);
    if (next.origin !== new URL(url).origin) {
      headers = Object.fromEntries(Object.entries(headers).filter(([name]) => name.toLowerCase() !== 'authorization'));
    }
    url = next.href;
  }
}

/** The body as text, of at most 32 MiB. @throws DESTINATION_ANSWER when it is longer. */
export async function readText({ chunks }: HttpAnswer, url: string): Promise<string> {
  const parts: Uint8Array[] = [];
  let sizeBytes = 0;
  for await (const chunk of chunks) {
    sizeBytes += chunk.length;
    if (sizeBytes > mostText) {
      throw new BevelstoneError('DESTINATION_ANSWER', {
        message: `${url} answered with more than ${mostText} bytes`,
        why: 'no answer of this protocol is so long',
        fix: 'Check that the address is a registry',
      });
    }
    parts.push(chunk);
  }
  return Buffer.concat(parts).toString('utf8');
}

/** Frees the connections that are kept for later requests, so that the program can end. */
export async function closeConnections(): Promise<void> {
  await agent.close();
}

async function sendOnce({ method, url, headers, body, signal }: HttpRequest): Promise<HttpAnswer> {
  try {
    const answer = await request(url, {
      dispatcher: agent,
      method,
      headers: { ...headers, ...(body === undefined ? {} : { 'content-length': String(body.sizeBytes) }) },
      ...(body === undefined ? {} : { body: body.chunks as never }),
      ...(signal === undefined ? {} : { signal }),
    });
    return { status: answer.statusCode, headers: answer.headers, chunks: answer.body as AsyncIterable<Uint8Array> };
  } catch (cause) {
    if (cause instanceof BevelstoneError || signal?.aborted === true) throw cause;
    throw unreachable(url, cause);
  }
}

const reasons: Readonly<Record<string, string>> = {
  ENOTFOUND: 'its name is not known (DNS)',
  EAI_AGAIN: 'the name service does not answer (DNS)',
  ECONNREFUSED: 'nothing listens at this address and port',
  ECONNRESET: 'the connection was cut',
  UND_ERR_SOCKET: 'the connection was cut',
  UND_ERR_CONNECT_TIMEOUT: 'it did not answer in time',
  UND_ERR_HEADERS_TIMEOUT: 'it took the request and did not answer in time',
  UND_ERR_BODY_TIMEOUT: 'it stopped in the middle of its answer',
  CERT_HAS_EXPIRED: 'its certificate has expired (TLS)',
  DEPTH_ZERO_SELF_SIGNED_CERT: 'its certificate is signed by nobody this machine trusts (TLS)',
};

function unreachable(url: string, cause: unknown): BevelstoneError {
  const { code = '', message = '' } = cause as NodeJS.ErrnoException;
  return new BevelstoneError('DESTINATION_UNREACHABLE', {
    message: `${new URL(url).origin} could not be reached`,
    why: reasons[code] ?? (message || 'no reason was given'),
    fix: 'Check the address and the network, then run the same command again; it asks first what arrived',
    cause,
  });
}
