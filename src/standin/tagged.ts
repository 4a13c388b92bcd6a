import { createHash } from 'node:crypto';
import type { FastifyRequest } from 'fastify';
import { readTextIfThere } from '../world/files.ts';
import { Refusal } from './refusal.ts';

/** The entity tag of a text (RFC 9110 §8.8.3). */
export function tagOf(text: string): string {
  return `"${createHash('sha256').update(text).digest('hex').slice(0, 32)}"`;
}

/** Refuses with 412 unless the conditions of a request hold for what is there now (RFC 9110 §13.1). */
export async function checkConditions({ headers }: FastifyRequest, place: string): Promise<void> {
  const [match, none] = [headers['if-match'], headers['if-none-match']];
  if (match === undefined && none === undefined) return;
  const text = await readTextIfThere(place);
  const isThere = text !== null;
  const tag = isThere ? tagOf(text) : null;
  if (none === '*' && isThere) throw new Refusal(412, 'something is there already');
  if (match !== undefined && (!isThere || (match !== '*' && match !== tag)))
    throw new Refusal(412, 'it was changed meanwhile');
}
