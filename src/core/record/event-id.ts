import { hash } from 'node:crypto';
import type { LedgerEvent, NewEvent, PlannedEvent } from './event.ts';

/** What the ledger adds to an event: when, in which run, and its place among the run's own events. */
export type EventStamp = { readonly at: string; readonly run: string; readonly seq: number };

/** An event with its stamp and its id. */
export function makeEvent(event: NewEvent, { at, run, seq }: EventStamp): LedgerEvent {
  const stamped = { ...event, at, run, seq };
  return { ...stamped, id: eventId(stamped) } as LedgerEvent;
}

/**
 * The id of an event, which is also its file's name: its time and place in its run, for the order, then the first 32 digits of
 * the SHA-256 of all it says. An event that was changed afterwards has another id than its file.
 */
export function eventId(event: Omit<LedgerEvent, 'id'> | (NewEvent & EventStamp)): string {
  const { id: _, ...content } = event as LedgerEvent;
  const digest = sha256(canonicalJson(content)).slice(0, 32);
  return `${content.at.replace(/[-:.]/g, '')}-${String(content.seq).padStart(4, '0')}-${digest}`;
}

/** Digest of what a release consists of. The tag names it, so it cannot be changed by someone who can only write to the ledger. */
export function planDigest(planned: PlannedEvent | Omit<PlannedEvent, 'id' | 'at' | 'run' | 'seq'>): string {
  const { package: name, version, commit, source, tag, destinations, contents, about } = planned;
  // What a reader makes of the bytes may change with the program; the bytes themselves may not.
  const artifacts = planned.artifacts.map(({ surface: _, ...artifact }) => artifact);
  return sha256(
    canonicalJson({ package: name, version, commit, source, tag, artifacts, destinations, contents, about }),
  );
}

/**
 * JSON without white space, keys in the order of their UTF-16 code units (RFC 8785 §3.2.3); numbers here are integers. A large
 * ledger makes it of a hundred thousand values, so it is put together without lists in between.
 */
export function canonicalJson(value: unknown): string {
  if (typeof value === 'string') return quoted(value);
  if (value === null || typeof value !== 'object') return JSON.stringify(value ?? null);
  let text = '';
  if (Array.isArray(value)) {
    for (const item of value) text += `${text === '' ? '' : ','}${canonicalJson(item)}`;
    return `[${text}]`;
  }
  const fields = value as Readonly<Record<string, unknown>>;
  for (const key of Object.keys(fields).sort())
    if (fields[key] !== undefined) text += `${text === '' ? '' : ','}${quoted(key)}:${canonicalJson(fields[key])}`;
  return `{${text}}`;
}

/** Most texts have nothing to escape. */
function quoted(text: string): string {
  return /[\u0000-\u001f"\\\ud800-\udfff]/.test(text) ? JSON.stringify(text) : `"${text}"`;
}

function sha256(text: string): string {
  return hash('sha256', text);
}
