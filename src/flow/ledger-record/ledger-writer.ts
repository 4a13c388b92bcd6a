import { createHash } from 'node:crypto';
import { type NewEvent, withSafeTexts } from '../../core/record/event.ts';
import { makeEvent } from '../../core/record/event-id.ts';
import { maxTextLength } from '../../core/record/schema.ts';
import { clipRedacted } from '../../core/text/redact.ts';
import { addToLedger, type LedgerFile } from '../../world/git/ledger-store.ts';
import type { Repository } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';

/** Takes note of what happens to releases. */
export type EventSink = {
  /** Announces what is about to be sent or moved. */
  readonly announce: (step: 'sent' | 'pointed', key: string) => void;
  /** Whether a delivery was announced before, by this run: what is there then is ours. */
  readonly isMeant: (step: 'sent', key: string) => boolean;
  readonly add: (event: NewEvent, beside?: Readonly<Record<string, string>>) => void;
};

/** Collects the events of one run and writes them in commits of the ledger. */
export class LedgerWriter implements EventSink {
  readonly #repository: Repository;
  readonly #context: Context;
  readonly run: string;
  #count = 0;
  #open: LedgerFile[] = [];

  constructor(context: Context, repository: Repository, run: string) {
    [this.#context, this.#repository, this.run] = [context, repository, run];
  }

  /** Without a journal nothing is announced. */
  announce(): void {}

  isMeant(): boolean {
    return false;
  }

  /** Remembers an event, and texts to lie beside it, until `flush`. */
  add(event: NewEvent, beside: Readonly<Record<string, string>> = {}): void {
    const safe = withSafeTexts(event, (text) => clipRedacted(text, maxTextLength, this.#context.secrets));
    const whole = makeEvent(safe, { at: this.#context.now().toISOString(), run: this.run, seq: this.#count++ });
    const folder = `${event.package}/${event.version}`;
    this.#open.push({
      path: `${folder}/${whole.id}.json`,
      text: `${JSON.stringify(whole, null, 2)}\n`,
    });
    for (const [name, text] of Object.entries(beside)) this.#open.push({ path: `${folder}/${name}`, text });
  }

  /** Writes what was added into the local ledger. @returns whether there was anything. */
  async flush(message: string): Promise<boolean> {
    const files = this.#open;
    if (files.length === 0) return false;
    await addToLedger(this.#repository, files, message);
    this.#open = [];
    return true;
  }
}

/** Name of the file that holds a release's contents list in the ledger. */
export function contentsFile(text: string): { readonly name: string; readonly sha256: string } {
  const sha256 = createHash('sha256').update(text).digest('hex');
  return { name: `contents-${sha256}.json`, sha256 };
}
