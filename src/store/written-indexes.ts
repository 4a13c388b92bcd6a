import { randomBytes, randomInt } from 'node:crypto';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { contentTypeOf } from '../core/protocol/content-type.ts';
import { drain } from '../world/http.ts';
import { countDown, pauseFor } from '../world/poll.ts';
import type { Collections } from './collections.ts';
import { readRemoteText, writeOnCondition } from './http-files.ts';
import type { TaggedText, Written } from './store.ts';
import { call, callText, expectDone, isDone, textBody, type Web } from './web.ts';

/** Where indexes are written by PUT. */
export type IndexPlace = { readonly web: Web; readonly base: string; readonly collections: Collections };

/** A write: what was there when it was decided on, and what is to be there. */
type Wish = { readonly url: string; readonly text: string; readonly before: TaggedText };

const lockName = '.bevelstone-lock/';
/** How long a lock may stay in one hand before it counts as left behind: an index is written in a moment. */
const lockMs = 60_000;
const patienceMs = 180_000;

/**
 * Writes indexes that others write too. Some servers take a condition and pay no heed to it, so that the first write finds that
 * out; on those a collection is the lock, since making one succeeds for one client only (RFC 4918 §9.3). Where a server has
 * neither, nothing but reading back is left.
 */
export function indexWriter(place: IndexPlace): (wish: Wish) => Promise<Written> {
  let keepsConditions: boolean | null = null;
  return async (wish) => {
    const { web } = place;
    if (keepsConditions === true) return writeOnCondition(web, wish);
    const release = await takeLock(place);
    try {
      if (release !== null && (await readRemoteText(web, wish.url)).text !== wish.before.text)
        return 'changed-meanwhile';
      if (keepsConditions === null) keepsConditions = await firstWrite(web, wish);
      else await putText(web, wish, {});
      // Of a server that keeps conditions nothing was written over an index that others had changed.
      if (keepsConditions === null) return 'changed-meanwhile';
      if (keepsConditions) return wish.before.text === null ? 'written' : await writeOnCondition(web, wish);
      return release === null ? 'unconditional' : 'written';
    } finally {
      await release?.();
    }
  };
}

/**
 * Writes under a condition that must fail, and tells whether it did: of an index that is there nothing was written then; a new
 * one was. @returns null when another publisher made the new one first.
 */
async function firstWrite(web: Web, wish: Wish): Promise<boolean | null> {
  if (wish.before.text !== null) return (await putText(web, wish, { 'if-match': '"no such tag"' })) === 'refused';
  if ((await putText(web, wish, { 'if-none-match': '*' })) === 'refused') return null;
  return (await putText(web, wish, { 'if-none-match': '*' })) === 'refused';
}

async function putText(web: Web, { url, text }: Wish, condition: Record<string, string>): Promise<'done' | 'refused'> {
  const headers = { 'content-type': contentTypeOf(url), ...condition };
  const answer = await callText(web, { method: 'PUT', url, headers, body: textBody(text) });
  if (answer.status === 412) return 'refused';
  expectDone(web, url, answer);
  return 'done';
}

/** @returns what lets go of it; null where the server makes no collections. @throws DESTINATION_BUSY */
async function takeLock({ web, base, collections }: IndexPlace): Promise<(() => Promise<void>) | null> {
  if (!(await collections.isDav())) return null;
  const [url, owner] = [`${base}${lockName}`, randomBytes(9).toString('hex')];
  const left = countDown(patienceMs);
  let seen = { owner: '', since: countDown(lockMs) };
  for (;;) {
    const made = await callText(web, { method: 'MKCOL', url });
    if (isDone(made.status)) break;
    // 405: there is one already (RFC 4918 §9.3.1).
    if (made.status !== 405) return null;
    const holder = (await readRemoteText(web, `${url}owner`)).text ?? '';
    if (holder !== seen.owner) seen = { owner: holder, since: countDown(lockMs) };
    // Whoever has it was killed.
    else if (seen.since() <= 0) await drain(await call(web, { method: 'DELETE', url }));
    if (left() <= 0) throw locked(web, url);
    await pauseFor(randomInt(20, 80));
  }
  const put = await callText(web, { method: 'PUT', url: `${url}owner`, body: textBody(owner) });
  expectDone(web, `${url}owner`, put);
  return async () => drain(await call(web, { method: 'DELETE', url }));
}

function locked({ name }: Web, url: string): BevelstoneError {
  return new BevelstoneError('DESTINATION_BUSY', {
    message: `cannot update the indexes of ${name}`,
    why: 'others have been writing there for three minutes',
    fix: `Run the same command again; finished uploads are kept. If no other publisher is running, delete ${url}`,
  });
}
