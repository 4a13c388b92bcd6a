import { type LedgerEvent, type NewEvent, withSafeTexts } from '../../core/record/event.ts';
import { makeEvent } from '../../core/record/event-id.ts';
import type { EventData } from '../../core/record/run-data.ts';
import { lastRecord, type RunRecord, type RunStep } from '../../core/record/run-record.ts';
import { maxTextLength } from '../../core/record/schema.ts';
import { clipRedacted } from '../../core/text/redact.ts';
import { faultPoint } from '../../world/fault-point.ts';
import type { LedgerFile } from '../../world/git/ledger-store.ts';
import type { Journal } from '../../world/journal.ts';
import { deliveryKey, pointKey } from '../deliver/deliver.ts';
import type { EventSink } from '../ledger-record/ledger-writer.ts';

/**
 * Events of a run, kept in its journal: each is the `done` of its step. Their names follow from the journal, so that they are
 * the same however often they are written into the ledger.
 */
export class RunLedger implements EventSink {
  readonly #journal: Journal;
  readonly run: string;

  constructor(journal: Journal, run: string) {
    [this.#journal, this.run] = [journal, run];
  }

  announce(step: 'sent' | 'pointed', key: string): void {
    const before = lastRecord(this.#journal.records, step, { key, phase: 'intent' });
    const attempt = ((before?.data as { attempt?: number } | null)?.attempt ?? 0) + 1;
    this.#journal.append({ step, key, phase: 'intent', data: { attempt } });
  }

  isMeant(step: 'sent', key: string): boolean {
    return this.#journal.isMeant(step, key);
  }

  /** What was announced and found there was sent by this run: it did not see the answer. Nothing is noted twice. */
  add(event: NewEvent, beside: Readonly<Record<string, string>> = {}): void {
    const [step, key] = stepOf(event);
    if (this.#journal.isDone(step, key) && !isBetter(event, this.#journal.done<EventData>(step, key)?.event)) return;
    const isOurs = event.type === 'delivered' && event.alreadyThere && this.isMeant('sent', key);
    const data: EventData = { event: isOurs ? { ...event, alreadyThere: false } : event, beside };
    this.#journal.append({ step, key, phase: 'done', data });
    faultPoint(step, key, 'after-done');
  }

  /** All events so far, as the ledger has them. */
  events(): LedgerEvent[] {
    return this.#noted().map(([record, { event }]) => this.#whole(record, event));
  }

  /** The files that the ledger gets for them. */
  files(): LedgerFile[] {
    return this.#noted().flatMap(([record, { event, beside }]) => {
      const whole = this.#whole(record, event);
      const folder = `${event.package}/${event.version}`;
      return [
        { path: `${folder}/${whole.id}.json`, text: `${JSON.stringify(whole, null, 2)}\n` },
        ...Object.entries(beside).map(([name, text]) => ({ path: `${folder}/${name}`, text })),
      ];
    });
  }

  #noted(): [RunRecord, EventData][] {
    return this.#journal.records.flatMap((record): [RunRecord, EventData][] => {
      const data = record.data as Partial<EventData> | null;
      const isEvent = record.phase === 'done' && data?.event !== undefined && data.beside !== undefined;
      return isEvent ? [[record, data as EventData]] : [];
    });
  }

  #whole({ seq, at }: RunRecord, event: NewEvent): LedgerEvent {
    return makeEvent(withSafeTexts(event, clip), { at, run: this.run, seq });
  }
}

/** Secrets were removed when the journal was written. */
function clip(text: string): string {
  return clipRedacted(text, maxTextLength, []);
}

/** A delivery that came back whole is worth noting after one that did not. */
function isBetter(event: NewEvent, before: NewEvent | undefined): boolean {
  return event.type === 'confirmed' && before?.type === 'confirmed' && event.confirmed !== before.confirmed;
}

function stepOf(event: NewEvent): readonly [RunStep, string] {
  if (event.type === 'planned') return ['planned', `${event.package}@${event.version}`];
  if (event.type === 'pointed') return ['pointed', `${pointKey(event, event.destination)} ${event.pointer}`];
  if (event.type === 'confirmed') return ['confirmed', deliveryKey(event, event.artifact, event.destination)];
  if (event.type === 'delivered') return ['sent', deliveryKey(event, event.artifact, event.destination)];
  if (event.type === 'redirected')
    return ['planned', `${event.package}@${event.version} ${event.destination} to ${event.to}`];
  const what = event.type === 'replanned' ? event.artifact.file : event.type;
  return ['planned', `${event.package}@${event.version} ${what}`];
}
