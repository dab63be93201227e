import { visible } from '../outside/words.ts';
import type { Evidence, Finding, LegName, Place, Severity } from './finding.ts';

/** One way a rule can speak. `{key}` is filled from the finding's data; a key that is not there is a programming error. */
export interface Words {
  message: string;
  remedy: string;
}

/**
 * The card of a rule: everything a person can read about it, and the only place where its sentences stand.
 * `docs/findings.md` is made from the cards.
 */
export interface Card<Message extends string = string> {
  id: string;
  severity: Severity;
  summary: string;
  why: string;
  source: string;
  /** Rules whose findings about the same road follow from this one, so that they are not told beside it. */
  explains?: readonly string[];
  messages: Record<Message, Words>;
}

interface FindingInput<Message extends string> {
  say: Message;
  data?: Evidence;
  /** What the sentence needs beside the facts: words that are right for this map's proxy and this machine. */
  words?: Evidence;
  roads?: string[];
  where?: Place | null;
  leg?: LegName | null;
  /** What lies behind it; defaults to a key that no other finding shares. */
  cause?: string;
  severity?: Severity;
  /** The machine of the map that it is about, and on which it is to be fixed; null for this machine. */
  machine?: string | null;
}

/** Keeps the message ids of a card known to the compiler. */
export function card<Message extends string>(definition: Card<Message>): Card<Message> {
  return definition;
}

/** Makes a finding from a card and the data its sentence needs. */
export function tell<Message extends string>(from: Card<Message>, input: FindingInput<Message>): Finding {
  const data = input.data ?? {};
  const words = from.messages[input.say];
  const known = { ...input.words, ...data };
  const roads = input.roads ?? [];
  const on = (input.machine ?? null) === null ? '' : `On ${String(input.machine)}: `;
  return {
    rule: from.id,
    severity: input.severity ?? from.severity,
    leg: input.leg ?? null,
    roads,
    cause: input.cause ?? ownCause(from.id, input.where ?? null, roads),
    message: `${on}${fill(words.message, known)}`,
    remedy: `${on}${fill(words.remedy, known)}`,
    where: input.where ?? null,
    evidence: data,
  };
}

/** The sentence of a problem that is shown without its remedy. */
export function messageOf({ messages }: Card, say: string, data: Evidence): string {
  return fill(messages[say]?.message ?? '', data);
}

function ownCause(id: string, where: Place | null, roads: readonly string[]): string {
  if (where !== null) return `${id}:${where.file}:${String(where.line)}:${String(where.column)}`;
  return `${id}:${roads.join(',')}`;
}

/** Of a long list a sentence shows the beginning; all of it is in the evidence. */
const mostShown = 8;

/** Fills `{key}` from data; lists are joined with commas. */
export function fill(template: string, data: Evidence): string {
  return template.replace(/\{([a-zA-Z]+)\}/g, (_, key: string) => {
    const value = data[key];
    if (value === undefined) throw new TypeError(`message needs {${key}}: ${template}`);
    if (!Array.isArray(value)) return visible(String(value));
    const shown = visible(value.slice(0, mostShown).join(', '));
    return value.length > mostShown ? `${shown} and ${String(value.length - mostShown)} more` : shown;
  });
}
