import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { objectOf } from '../core/manifest/fields.ts';
import { isPassing, parseRetryAfter } from '../core/protocol/retry-delay.ts';
import { cleanText } from '../core/text/clean.ts';
import { jsonOrNull } from '../core/text/json.ts';
import { clipRedacted } from '../core/text/redact.ts';
import { type HttpAnswer, type HttpRequest, readText, send } from '../world/http.ts';

/** An answer that was read to its end. */
export type TextAnswer = Pick<HttpAnswer, 'status' | 'headers' | 'receivedAt' | 'url'> & { readonly text: string };

/** A destination that is spoken to by HTTP: who it is, and the headers that let us in. */
export type Web = {
  readonly name: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly signal: AbortSignal;
  /** The only origins that get the credential: those that the configuration names. */
  readonly origins: ReadonlySet<string>;
  /** What no message may hold. */
  readonly secrets: ReadonlySet<string>;
};

/** Requests that leave something behind; a server never redirects them to another host. */
const changing: ReadonlySet<string> = new Set(['PUT', 'POST', 'PATCH', 'DELETE', 'MKCOL']);

/**
 * Sends a request, with the destination's credential where the configuration names the origin. Whatever else a server refers
 * to is only read, as a stranger would.
 * @throws ORIGIN_UNTRUSTED
 */
export async function call(web: Web, request: HttpRequest): Promise<HttpAnswer> {
  if (isOwnOrigin(web, request.url))
    return send({ ...request, headers: { ...web.headers, ...request.headers }, signal: web.signal });
  if (changing.has(request.method)) throw untrustedOrigin(web, request.url);
  const { accept } = request.headers ?? {};
  return send({ ...request, headers: accept === undefined ? {} : { accept }, signal: web.signal });
}

/** Whether an address is of an origin that the configuration names. */
export function isOwnOrigin({ origins }: Pick<Web, 'origins'>, url: string): boolean {
  return URL.canParse(url) && origins.has(new URL(url).origin);
}

/** The error for a server that refers an upload or a login to somewhere else. */
export function untrustedOrigin({ name, origins }: Pick<Web, 'name' | 'origins'>, url: string): BevelstoneError {
  const origin = URL.canParse(url) ? new URL(url).origin : 'an address that is none';
  return new BevelstoneError('ORIGIN_UNTRUSTED', {
    message: `${name} refers to ${origin}, which does not get credentials or files`,
    why: `the configuration only allows ${[...origins].join(', ')}`,
    fix: `If ${origin} belongs to the same service, add it: also-trusts: [${origin}]`,
    where: { file: 'bevelstone.yaml' },
  });
}

/** Sends a request and reads the answer, of at most 32 MiB. */
export async function callText(web: Web, request: HttpRequest): Promise<TextAnswer> {
  const answer = await call(web, request);
  return { ...withoutBody(answer), text: await readText(answer, request.url) };
}

/** An answer without its body. */
export function withoutBody({ status, headers, receivedAt, url }: HttpAnswer): Omit<HttpAnswer, 'chunks'> {
  return { status, headers, receivedAt, url };
}

/** A short text as a body. */
export function textBody(text: string): NonNullable<HttpRequest['body']> {
  const bytes = Buffer.from(text);
  return { chunks: oneChunk(bytes), sizeBytes: bytes.length };
}

async function* oneChunk(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield bytes;
}

/** Whether a status says that it is done. */
export function isDone(status: number): boolean {
  return status >= 200 && status <= 299;
}

/** Throws unless the answer says that it is done. */
export function expectDone(web: Web, what: string, answer: TextAnswer): void {
  if (!isDone(answer.status)) throw refused(web, what, answer);
}

/** What lies at an address. @throws DESTINATION_REFUSED when nothing does. */
export async function openAddress(web: Web, address: string): Promise<AsyncIterable<Uint8Array>> {
  const answer = await call(web, { method: 'GET', url: address });
  if (answer.status === 200) return answer.chunks;
  const text = await readText(answer, address);
  throw refused(web, address, { ...answer, text });
}

/** Name and version of a server, as it says; null when it does not. */
export function serverOf({ headers }: Pick<HttpAnswer, 'headers'>): string | null {
  const said = headers['server'] ?? headers['x-powered-by'];
  const text = typeof said === 'string' ? cleanText(said).trim().slice(0, 60) : '';
  return text === '' ? null : text;
}

/**
 * What is wrong with an answer that comes from something else than the server that is meant, by its status, its type and the
 * words of common servers; null when nothing tells.
 */
export function strangeAnswer({ status, headers, text, url }: TextAnswer, asked: string): string | null {
  const from = URL.canParse(url) && new URL(url).origin !== new URL(asked).origin ? ` of ${new URL(url).origin}` : '';
  if (status === 407) return 'the proxy wants a user and a password';
  if (status >= 300 && status <= 399 && status !== 304) return `it redirects to ${placeOf(headers['location'], url)}`;
  if (status === 400 && /plain HTTP request was sent to HTTPS port|HTTP request to an HTTPS server/i.test(text))
    return 'it speaks TLS at this port: the address should begin with https://';
  const isPage =
    /^text\/html\b/i.test(String(headers['content-type'] ?? '')) || /^\s*<(?:!doctype html|html)/i.test(text);
  if (status === 503 && /maintenance/i.test(text)) return `a maintenance page${from}`;
  if (!isPage || !isDone(status)) return null;
  if (/type\s*=\s*["']?password/i.test(text)) return `a login page${from}`;
  return /\bmaintenance\b/i.test(text) ? `a maintenance page${from}` : `a web page${from}`;
}

function placeOf(location: unknown, url: string): string {
  return typeof location === 'string' && URL.canParse(location, url)
    ? cleanText(new URL(location, url).origin + new URL(location, url).pathname)
    : 'nowhere';
}

/** The error for an answer that is not this protocol's, with what it seems to be instead. */
export function notThisProtocol(
  web: Pick<Web, 'name'>,
  { asked, answer, expected }: { readonly asked: string; readonly answer: TextAnswer; readonly expected: string },
): BevelstoneError {
  const strange = strangeAnswer(answer, asked);
  const why = strange === null ? `${expected}; it answered ${answer.status}` : `${expected}; ${asWords(strange)}`;
  return unexpectedAnswer(web.name, why, asked);
}

function asWords(strange: string): string {
  return /^an? /.test(strange) ? `the answer is ${strange}` : strange;
}

/** How far the server's clock is ahead, in milliseconds (RFC 9110 §6.6.1). */
export function skewOf({ headers, receivedAt }: Pick<HttpAnswer, 'headers' | 'receivedAt'>): number | null {
  const at = Date.parse(String(headers['date'] ?? ''));
  return Number.isNaN(at) ? null : at - receivedAt.getTime();
}

/** What a refusal means, with the server's own words. */
export function refused(
  { name: destination, secrets }: Pick<Web, 'name' | 'secrets'>,
  what: string,
  answer: TextAnswer,
): BevelstoneError {
  const { status } = answer;
  const reason = messageFor(answer.text, secrets);
  const message = `${destination} refused ${what}`;
  const strange = strangeAnswer(answer, answer.url);
  const why =
    strange === null
      ? `it answered ${status}${reason === '' ? '' : `: ${reason}`}`
      : `it answered ${status}: ${strange}`;
  if (status === 401 || status === 403) {
    const fix =
      status === 401
        ? 'Give the destination a `credential`, or a token that is still valid'
        : 'Use a token that may publish this package';
    return new BevelstoneError('CREDENTIAL_REFUSED', { message, why, fix });
  }
  if (isPassing(status)) {
    const retryAfterMs = parseRetryAfter(answer.headers['retry-after'], answer.receivedAt);
    const fix = 'Wait a little and run the same command again; it asks first what arrived';
    return new BevelstoneError('DESTINATION_BUSY', {
      message: `${destination} is busy: ${what}`,
      why,
      fix,
      retryAfterMs,
    });
  }
  if (status === 409 || /\balready exists\b/i.test(reason)) {
    const fix = 'This version exists there already; release a higher one';
    return new BevelstoneError('DELIVERY_EXISTS', { message, why, fix });
  }
  const fix = 'Settle what it complains about, then run the same command again';
  return new BevelstoneError('DESTINATION_REFUSED', { message, why, fix });
}

const maxSaidLength = 200;
/** Enough of an error page for the sentence at its head. */
const maxScannedLength = 8 << 10;

/** The sentence in an error answer: JSON's `error` or `errors`, else the beginning of the text. */
function messageFor(body: string, secrets: ReadonlySet<string>): string {
  const value = objectOf(jsonOrNull(body));
  const first = Array.isArray(value['errors']) ? objectOf(value['errors'][0]) : {};
  const texts = [value['error'], first['message'], value['message']].filter((item) => typeof item === 'string');
  const plain = body
    .slice(0, maxScannedLength)
    .replace(/<[^<>]*>/g, ' ')
    .replace(/\s+/g, ' ');
  // A server may repeat what it was sent.
  return cleanText(clipRedacted(String(texts[0] ?? plain).trim(), maxSaidLength, secrets)).trim();
}

/** The error for an answer that is not this protocol's. */
export function unexpectedAnswer(destination: string, why: string, url: string): BevelstoneError {
  return new BevelstoneError('DESTINATION_ANSWER', {
    message: `${destination} did not answer as its protocol requires`,
    why,
    fix: `Check the address: ${url}`,
  });
}
