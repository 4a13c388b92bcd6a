import { BevelstoneError } from '../error/bevelstone-error.ts';
import type { LinearPattern } from '../text/linear-pattern.ts';
import { heaviest, type Weight } from '../version/weight.ts';
import { type Commit, subjectOf } from './commit.ts';
import { breakingNotes, type Header, type Message, parseHeader, parseMessage } from './message-grammar.ts';
import { parseReferences, type References } from './reference.ts';
import { parseSquashBody } from './squash-body.ts';

/** One thing that a commit did. */
export type Item = {
  readonly kind: string | null;
  readonly scope: string | null;
  /** Untrusted text, cleaned only when shown. */
  readonly summary: string;
  readonly breaking: string | null;
  readonly weight: Weight;
};

/** What a commit means, for whatever package it touches. */
export type Meaning = {
  readonly how: 'amended' | 'ignored' | 'pattern' | 'conventional' | 'unmarked';
  readonly weight: Weight;
  /** Never empty; a squashed commit has one for its header and one per listed change. */
  readonly items: readonly Item[];
  readonly references: References;
};

/** What `amend` says of one commit. */
export type Amendment = {
  readonly ignore?: boolean;
  readonly kind?: string;
  readonly scope?: string;
  readonly summary?: string;
  readonly breaking?: string | boolean;
  readonly changes?: readonly { kind: string; scope?: string; summary: string; breaking?: string | boolean }[];
};

/** A pattern of the configuration; it takes time in proportion to the subject. */
export type SubjectPattern = Pick<LinearPattern, 'test' | 'withoutFirst'>;

/** How messages are read: part of `history` in bevelstone.yaml. */
export type MeaningRules = {
  readonly weights: Readonly<Record<string, Weight>>;
  readonly patterns: readonly { readonly match: SubjectPattern; readonly kind: string }[];
  readonly unmarkedWeight: Weight;
};

/** The subject without the mark at its front. What matches further inside is part of the sentence. */
function withoutMark(subject: string, match: SubjectPattern): string {
  const rest = match.withoutFirst(subject).trim();
  return rest !== '' && subject.endsWith(rest) ? rest : subject;
}

/** What a commit means: the first that applies of amendment, pattern, header, nothing (docs/design/versions.md, step 9). */
export function readMeaning(commit: Commit, rules: MeaningRules, amendment: Amendment | null): Meaning {
  const message = parseMessage(commit.message);
  const references = parseReferences(commit.message, message);
  if (amendment?.ignore === true) {
    const item = { kind: null, scope: null, summary: message.subject, breaking: null, weight: 'none' as const };
    return {
      how: 'ignored',
      weight: 'none',
      items: [item],
      references: { ...references, reverts: [], pickedFrom: [] },
    };
  }
  if (amendment !== null) return { ...amended(amendment, message, rules), references };
  const pattern = rules.patterns.find(({ match }) => match.test(message.subject));
  if (pattern !== undefined) {
    const header = parseHeader(message.subject);
    const summary = header?.summary ?? withoutMark(message.subject, pattern.match);
    const item = weigh({ kind: pattern.kind, scope: header?.scope ?? null, summary, breaking: null }, rules);
    return { how: 'pattern', ...withNotes([item], message, rules), references };
  }
  if (message.header !== null) {
    const known = new Set(Object.keys(rules.weights));
    const headers = [message.header, ...parseSquashBody(message.body, known)];
    return {
      how: 'conventional',
      ...withNotes(
        headers.map((header) => fromHeader(header, rules)),
        message,
        rules,
      ),
      references,
    };
  }
  const item = { kind: null, scope: null, summary: message.subject, breaking: null, weight: rules.unmarkedWeight };
  return { how: 'unmarked', ...withNotes([item], message, rules), references };
}

/** Finds the amendment of each commit by its full or shortened id. */
export class Amendments {
  readonly #byPrefix: ReadonlyMap<string, Amendment>;
  readonly #lengths: readonly number[];
  readonly #found = new Map<string, string>();

  constructor(amend: Readonly<Record<string, Amendment>>) {
    this.#byPrefix = new Map(Object.entries(amend).map(([id, amendment]) => [id.toLowerCase(), amendment]));
    this.#lengths = [...new Set([...this.#byPrefix.keys()].map((id) => id.length))];
  }

  get isEmpty(): boolean {
    return this.#lengths.length === 0;
  }

  /** @throws AMEND_AMBIGUOUS when the same short id has named another commit before. */
  of(id: string): Amendment | null {
    if (this.isEmpty) return null;
    for (const length of this.#lengths) {
      const prefix = id.slice(0, length);
      const amendment = this.#byPrefix.get(prefix);
      if (amendment === undefined) continue;
      const other = this.#found.get(prefix);
      if (other !== undefined && other !== id) throw ambiguous(prefix, [other, id]);
      this.#found.set(prefix, id);
      return amendment;
    }
    return null;
  }

  /** Ids that named no commit so far. */
  unknown(): string[] {
    return [...this.#byPrefix.keys()].filter((id) => !this.#found.has(id));
  }
}

function amended(amendment: Amendment, message: Message, rules: MeaningRules): Omit<Meaning, 'references'> {
  const own = message.header;
  const listed = amendment.changes ?? [
    {
      kind: amendment.kind ?? own?.kind ?? '',
      ...((amendment.scope ?? own?.scope) ? { scope: amendment.scope ?? own?.scope ?? '' } : {}),
      summary: amendment.summary ?? own?.summary ?? subjectOf(message.subject),
      breaking: amendment.breaking ?? (amendment.kind === undefined && (own?.breaking ?? false)),
    },
  ];
  const items = listed.map((change) =>
    weigh(
      {
        kind: change.kind.toLowerCase() || null,
        scope: change.scope ?? null,
        summary: change.summary,
        breaking: change.breaking === true ? change.summary : change.breaking || null,
      },
      rules,
    ),
  );
  return { how: 'amended', weight: heaviest(items.map(({ weight }) => weight)), items };
}

function fromHeader(header: Header, rules: MeaningRules): Item {
  const { kind, scope, summary } = header;
  return weigh({ kind, scope, summary, breaking: header.breaking ? summary : null }, rules);
}

/** Footers that say what breaks belong to the first item (items 11 to 13 of Conventional Commits 1.0.0). */
function withNotes(items: readonly Item[], message: Message, rules: MeaningRules) {
  const notes = breakingNotes(message.footers);
  const [first, ...rest] = items;
  const whole =
    first === undefined || notes.length === 0
      ? items
      : [weigh({ ...first, breaking: notes.join('\n\n') }, rules), ...rest];
  return { items: whole, weight: heaviest(whole.map(({ weight }) => weight)) };
}

function weigh(item: Omit<Item, 'weight'>, rules: MeaningRules): Item {
  const own = item.kind === null ? rules.unmarkedWeight : kindWeight(item.kind, rules);
  const breaking = item.breaking === null ? 'none' : (rules.weights['breaking'] ?? 'major');
  const { kind, scope, summary, breaking: note } = item;
  return {
    kind,
    scope,
    summary,
    breaking: note,
    weight: note === null ? own : heaviest([own, breaking]),
  };
}

function kindWeight(kind: string, { weights }: MeaningRules): Weight {
  // `breaking` in `weights` is what a mark weighs; a commit of that kind is an unknown kind.
  return kind !== 'breaking' && Object.hasOwn(weights, kind) ? (weights[kind] ?? 'none') : 'none';
}

function ambiguous(prefix: string, ids: readonly string[]): BevelstoneError {
  return new BevelstoneError('AMEND_AMBIGUOUS', {
    message: `history.amend: "${prefix}" matches more than one commit`,
    why: `candidates: ${ids.join(', ')}`,
    fix: 'Write more characters of the id',
    where: { file: 'bevelstone.yaml' },
  });
}
