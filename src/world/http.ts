import { setTimeout as sleep } from 'node:timers/promises';
import { Agent, type Dispatcher, EnvHttpProxyAgent, request } from 'undici';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { isPassing, parseRetryAfter, retryDelay } from '../core/protocol/retry-delay.ts';
import { timeLimits, transferMs } from './time-limit.ts';

/** A request; the body may be any size, its exact length is sent. */
export type HttpRequest = {
  readonly method: 'GET' | 'HEAD' | 'PUT' | 'POST' | 'PATCH' | 'DELETE' | 'OPTIONS' | 'PROPFIND' | 'MKCOL';
  readonly url: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: { readonly chunks: AsyncIterable<Uint8Array>; readonly sizeBytes: number };
  readonly signal?: AbortSignal;
  /** Asked before a redirect is followed; it throws where that must not be. */
  readonly onRedirect?: (to: URL) => void;
};

/** An answer, its body still to be read. */
export type HttpAnswer = {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly chunks: AsyncIterable<Uint8Array>;
  /** Where it came from, after redirects. */
  readonly url: string;
  /** When it began to come, by the clock of this machine. */
  readonly receivedAt: Date;
};

const maxTextBytes = 32 << 20;
/** Of an answer that says no, this much is read. */
const maxRefusalBytes = 64 << 10;
const maxRedirects = 5;
/** An attempt that took this long is not made again. */
const patienceMs = 30_000;
const timeouts = {
  headersTimeout: timeLimits.headersMs,
  bodyTimeout: timeLimits.idleMs,
  connect: { timeout: timeLimits.connectMs },
};
const proxyNames = { 'http:': ['http_proxy', 'HTTP_PROXY'], 'https:': ['https_proxy', 'HTTPS_PROXY'] };
const isProxied = Object.values(proxyNames)
  .flat()
  .some((name) => process.env[name]);
let agent: Dispatcher | null = null;

function currentAgent(): Dispatcher {
  agent ??= isProxied ? new EnvHttpProxyAgent(timeouts) : new Agent(timeouts);
  return agent;
}

/**
 * Sends a request. What only asks is tried again when the server is busy or the connection fails (`retryDelay`); what
 * changes something is sent once. A GET follows redirects, and loses all but harmless headers on the way to another origin.
 * @throws DESTINATION_UNREACHABLE, saying whether the name, the connection, the proxy or the time was the trouble.
 */
export async function send(wanted: HttpRequest): Promise<HttpAnswer> {
  const isQuestion = wanted.body === undefined && questions.has(wanted.method);
  for (let attempt = 1; ; attempt++) {
    let answer: HttpAnswer | null = null;
    let error: unknown = null;
    const since = Date.now();
    try {
      answer = await follow(wanted);
    } catch (thrown) {
      error = thrown;
    }
    const isOver = answer === null ? !isBevelstoneError(error, 'DESTINATION_UNREACHABLE') : !isPassing(answer.status);
    const retryAfterMs = parseRetryAfter(answer?.headers['retry-after'], new Date());
    const isPatient = Date.now() - since < patienceMs;
    const delay =
      isQuestion && !isOver && isPatient ? retryDelay({ attempt, retryAfterMs, random: Math.random() }) : null;
    if (delay === null) {
      if (answer === null) throw error;
      return answer;
    }
    if (answer !== null) await drain(answer);
    await sleep(delay, undefined, wanted.signal === undefined ? {} : { signal: wanted.signal });
  }
}

const questions: ReadonlySet<string> = new Set(['GET', 'HEAD', 'OPTIONS', 'PROPFIND']);

async function follow(wanted: HttpRequest): Promise<HttpAnswer> {
  let { url } = wanted;
  let headers: Record<string, string> = { 'user-agent': 'bevelstone', ...wanted.headers };
  for (let hop = 0; ; hop++) {
    const answer = await sendOnce({ ...wanted, url, headers });
    const location = answer.headers['location'];
    const isMoved = [301, 302, 303, 307, 308].includes(answer.status) && typeof location === 'string';
    if (wanted.method !== 'GET' || !isMoved || hop >= maxRedirects) return answer;
    await drain(answer);
    const next = new URL(location, url);
    wanted.onRedirect?.(next);
    if (next.origin !== new URL(url).origin)
      headers = Object.fromEntries(Object.entries(headers).filter(([name]) => harmless.has(name.toLowerCase())));
    url = next.href;
  }
}

/** Data that may be sent to a server that is not configured. */
const harmless: ReadonlySet<string> = new Set(['accept', 'user-agent', 'range']);

/** Reads what is left of a short body: only then is the connection free for the next request. A long one is cut off. */
export async function drain({ chunks }: HttpAnswer): Promise<void> {
  let sizeBytes = 0;
  for await (const chunk of chunks) {
    sizeBytes += chunk.length;
    if (sizeBytes > maxRefusalBytes) return;
  }
}

/** The body as text. @throws DESTINATION_ANSWER when it is longer than 32 MiB; of a refusal the first 64 KiB are enough. */
export async function readText(
  { status, chunks }: Pick<HttpAnswer, 'status' | 'chunks'>,
  url: string,
): Promise<string> {
  const isRefusal = status >= 400;
  const limit = isRefusal ? maxRefusalBytes : maxTextBytes;
  const parts: Uint8Array[] = [];
  let sizeBytes = 0;
  for await (const chunk of chunks) {
    sizeBytes += chunk.length;
    parts.push(chunk);
    if (sizeBytes > limit && isRefusal) break;
    if (sizeBytes > limit) {
      throw new BevelstoneError('DESTINATION_ANSWER', {
        message: `${url} answered with more than ${limit} bytes`,
        why: 'a valid answer is never that long',
        fix: 'Check that the address is a registry',
      });
    }
  }
  return Buffer.concat(parts).subarray(0, limit).toString('utf8');
}

/** Frees the connections that are kept for later requests, so that the program can end. */
export async function closeConnections(): Promise<void> {
  const old = agent;
  agent = null;
  await old?.close();
}

async function sendOnce({ method, url, headers, body, signal }: HttpRequest): Promise<HttpAnswer> {
  // Until the answer begins; what its body may take is counted while it is read.
  const whole = new AbortController();
  const limitMs = Math.ceil(timeLimits.wholeMs + transferMs(body?.sizeBytes ?? 0));
  const timer = setTimeout(() => whole.abort(tooSlow()), limitMs);
  try {
    const answer = await request(url, {
      dispatcher: currentAgent(),
      method,
      headers: { ...headers, ...(body === undefined ? {} : { 'content-length': String(body.sizeBytes) }) },
      ...(body === undefined ? {} : { body: body.chunks as never }),
      signal: signal === undefined ? whole.signal : AbortSignal.any([signal, whole.signal]),
    });
    return {
      status: answer.statusCode,
      headers: answer.headers,
      chunks: guarded(answer.body, url),
      url,
      receivedAt: new Date(),
    };
  } catch (cause) {
    if (cause instanceof BevelstoneError || signal?.aborted === true) throw cause;
    throw unreachable(url, whole.signal.aborted ? tooSlow() : cause);
  } finally {
    clearTimeout(timer);
  }
}

/** A body whose reading fails like the request itself, and that must not come more slowly than any line. */
export async function* guarded(body: AsyncIterable<Uint8Array>, url: string): AsyncGenerator<Uint8Array> {
  const since = Date.now();
  let sizeBytes = 0;
  try {
    for await (const chunk of body) {
      sizeBytes += chunk.length;
      if (Date.now() - since > timeLimits.wholeMs + transferMs(sizeBytes)) throw tooSlow();
      yield chunk;
    }
  } catch (cause) {
    if ((cause as Error).name === 'AbortError') throw cause;
    throw unreachable(url, cause);
  }
}

function tooSlow(): Error {
  return Object.assign(new Error('too slow'), { code: 'TOO_SLOW' });
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
  CERT_NOT_YET_VALID: 'its certificate is not valid yet: the clock here or there is wrong (TLS)',
  DEPTH_ZERO_SELF_SIGNED_CERT: 'its certificate is not signed by an authority that this machine trusts (TLS)',
  SELF_SIGNED_CERT_IN_CHAIN: 'its certificate is not signed by an authority that this machine trusts (TLS)',
  UNABLE_TO_VERIFY_LEAF_SIGNATURE: 'its certificate is not signed by an authority that this machine trusts (TLS)',
  ERR_TLS_CERT_ALTNAME_INVALID: 'its certificate is for another name (TLS)',
  ERR_SSL_WRONG_VERSION_NUMBER: 'it does not speak TLS at this port: perhaps the address should begin with http://',
  EPROTO: 'it does not speak TLS at this port: perhaps the address should begin with http://',
  EPIPE: 'the connection was cut',
  TOO_SLOW: 'it is much too slow, so the request was given up',
};

/** What the system says of a server that cannot be reached, as an error of ours. */
export function unreachable(url: string, cause: unknown): BevelstoneError {
  const { code = '', message = '' } = deepest(cause);
  const { origin, protocol } = new URL(url);
  const known = reasons[code] ?? (message || 'no reason was given');
  // A server of TLS closes the connection when it is spoken to without.
  const why =
    protocol === 'http:' && ['ECONNRESET', 'UND_ERR_SOCKET'].includes(code)
      ? `${known}: perhaps the address should begin with https://`
      : known;
  const proxy = proxyNames[protocol as keyof typeof proxyNames]?.find((name) => process.env[name]);
  return new BevelstoneError('DESTINATION_UNREACHABLE', {
    message: `${origin} could not be reached`,
    why: proxy === undefined ? why : `${why}; the connection uses the proxy from ${proxy}`,
    fix: 'Check the address and the network, then run the same command again; it checks first what was uploaded',
    cause,
  });
}

/** Where one address was tried after the other, or a library wrapped the system's error, the system's own. */
function deepest(error: unknown): NodeJS.ErrnoException {
  const { errors, cause, code } = error as { errors?: unknown[]; cause?: unknown; code?: string };
  if (Array.isArray(errors) && errors[0] !== undefined) return deepest(errors[0]);
  if (code === undefined && cause instanceof Error) return deepest(cause);
  return error as NodeJS.ErrnoException;
}
