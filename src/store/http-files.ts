import { createHash } from 'node:crypto';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { contentTypeOf } from '../core/protocol/content-type.ts';
import { drain } from '../world/http.ts';
import { sentBytes } from '../world/sent-file.ts';
import { changeText } from './change-text.ts';
import type { Parcel, Presence } from './parcel.ts';
import type { TaggedText, Written } from './store.ts';
import {
  call,
  callText,
  expectDone,
  isDone,
  openAddress,
  refused,
  textBody,
  unexpectedAnswer,
  type Web,
} from './web.ts';

/** A small text, null when there is none. */
export async function readRemoteText(web: Web, url: string): Promise<TaggedText> {
  const answer = await callText(web, { method: 'GET', url });
  if (answer.status === 404) return { text: null, tag: null };
  if (answer.status !== 200) throw refused(web, `the question for ${url}`, answer);
  const tag = answer.headers['etag'];
  return { text: answer.text, tag: typeof tag === 'string' && !tag.startsWith('W/') ? tag : null };
}

/** Writes a small text over whatever is there. */
async function writeRemoteText({
  web,
  url,
  text,
  headers = {},
}: {
  readonly web: Web;
  readonly url: string;
  readonly text: string;
  readonly headers?: Record<string, string>;
}): Promise<void> {
  const answer = await callText(web, {
    method: 'PUT',
    url,
    headers: { 'content-type': contentTypeOf(url), ...headers },
    body: textBody(text),
  });
  expectDone(web, url, answer);
}

/** Makes sure that a small text lies somewhere, such as the digest of a file: a run that was killed may have left it out. */
export async function ensureRemoteText(web: Web, url: string, text: string): Promise<void> {
  if ((await readRemoteText(web, url)).text !== text) await writeRemoteText({ web, url, text });
}

/** Changes a text that others may change too. @param change gives null when nothing is to be changed. @returns whether anything was. */
export async function changeRemoteText({
  web,
  url,
  change,
}: {
  readonly web: Web;
  readonly url: string;
  readonly change: (text: string | null) => string | null;
}): Promise<boolean> {
  const { isChanged } = await changeText({
    what: url,
    read: () => readRemoteText(web, url),
    write: (text, before) => writeOnCondition(web, { url, text, before }),
    change,
  });
  return isChanged;
}

/** Writes a text on the condition that what is there is what was read before (RFC 9110 §13.1.1, §13.1.2). */
export async function writeOnCondition(
  web: Web,
  { url, text, before }: { readonly url: string; readonly text: string; readonly before: TaggedText },
): Promise<Written> {
  const { tag } = before;
  const condition = tag !== null ? { 'if-match': tag } : before.text === null ? { 'if-none-match': '*' } : {};
  const headers = { 'content-type': contentTypeOf(url), ...condition };
  const answer = await callText(web, { method: 'PUT', url, headers, body: textBody(text) });
  if (answer.status === 412 || answer.status === 409) return 'changed-meanwhile';
  expectDone(web, url, answer);
  return Object.keys(condition).length > 0 ? 'written' : 'unconditional';
}

/** What lies at an address, compared with a parcel: by the digest beside it where there is one, else by its bytes. */
export async function presenceAt(
  web: Web,
  url: string,
  parcel: Pick<Parcel, 'sha256' | 'sizeBytes'>,
): Promise<Presence> {
  const head = await call(web, { method: 'HEAD', url });
  await drain(head);
  if (head.status === 404 || head.status === 410) return { type: 'absent' };
  if (head.status !== 200) throw refused(web, `the question for ${url}`, { ...head, text: '' });
  const length = head.headers['content-length'];
  if (typeof length === 'string' && Number(length) !== parcel.sizeBytes)
    return { type: 'different', why: `it has ${length} bytes, ours ${parcel.sizeBytes}` };
  const digest = await digestAt(web, url);
  if (digest === parcel.sha256) return { type: 'same', address: url };
  return { type: 'different', why: `its SHA-256 is ${digest.slice(0, 12)}…, ours ${parcel.sha256.slice(0, 12)}…` };
}

/** SHA-256 of the stored bytes, which are read completely: a checksum file beside them can be wrong. */
async function digestAt(web: Web, url: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of await openAddress(web, url)) hash.update(chunk);
  return hash.digest('hex');
}

/** Sends a parcel to an address that must still be free. */
export async function putParcel({
  web,
  url,
  parcel,
  moved,
}: {
  readonly web: Web;
  readonly url: string;
  readonly parcel: Parcel;
  readonly moved: (bytes: number) => void;
}): Promise<void> {
  const answer = await callText(web, {
    method: 'PUT',
    url,
    headers: { 'content-type': contentTypeOf(parcel.fileName), 'if-none-match': '*' },
    body: { chunks: sentBytes(parcel, moved), sizeBytes: parcel.sizeBytes },
  });
  if (answer.status === 412) throw unexpectedAnswer(web.name, `something came to lie at ${url} meanwhile`, url);
  expectDone(web, parcel.fileName, answer);
}

/** Deletes what lies at an address. @throws WITHDRAW_IMPOSSIBLE when the server does not do that. */
export async function deleteAt(web: Web, url: string): Promise<void> {
  const answer = await callText(web, { method: 'DELETE', url });
  if (isDone(answer.status) || answer.status === 404) return;
  if (answer.status !== 405 && answer.status !== 501) throw refused(web, `to delete ${url}`, answer);
  throw new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
    message: `${web.name} cannot delete ${url}`,
    why: `it answered ${answer.status}: this server does not support deletion`,
    fix: 'Release a higher version, and describe the problem in its notes',
  });
}
