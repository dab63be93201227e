import * as z from 'zod';
import { reasonOf } from '../trouble.ts';
import type { EngineAddress } from './address.ts';
import { exchange } from './exchange.ts';

/** How long the engine may take for what it does at once. */
export const quickMs = 15_000;

type Method = 'GET' | 'POST' | 'DELETE';

/** Orders to a container engine, by its HTTP API. What goes wrong is an `Error` with a whole sentence less its full stop. */
export class EngineApi {
  constructor(private readonly address: EngineAddress) {}

  /** Asks for an answer of a form; with a body it is an order. */
  async ask<T extends z.ZodType>(path: string, body: unknown, form: T): Promise<z.output<T>> {
    return parsed(await this.raw(body === undefined ? 'GET' : 'POST', path, quickMs, body), form);
  }

  /** The same for what may not be there: then null. */
  async find<T extends z.ZodType>(path: string, form: T): Promise<z.output<T> | null> {
    const { status, body } = await this.exchanged('GET', path, quickMs);
    return status === 404 ? null : parsed(accepted(status, body), form);
  }

  async raw(method: Method, path: string, timeoutMs: number, body?: unknown): Promise<Buffer> {
    const answer = await this.exchanged(method, path, timeoutMs, body);
    return accepted(answer.status, answer.body);
  }

  private async exchanged(
    method: Method,
    path: string,
    timeoutMs: number,
    body?: unknown,
  ): Promise<{ status: number; body: Buffer }> {
    try {
      return await exchange(this.address, { method, path, body, timeoutMs });
    } catch (cause) {
      throw new Error(`the container engine at ${this.address.shown} gives no answer (${reasonOf(cause)})`, { cause });
    }
  }
}

const errorAnswer = z.looseObject({ message: z.string() });

/** 304: it is so already. */
function accepted(status: number, body: Buffer): Buffer {
  if (status < 300 || status === 304) return body;
  let message = `status ${String(status)}`;
  try {
    message = errorAnswer.parse(JSON.parse(body.toString('utf8'))).message;
  } catch {
    // Its status has to do.
  }
  throw new Error(`the container engine refuses: ${message.trim().replace(/\.$/, '')}`);
}

export function parsed<T extends z.ZodType>(body: Buffer, form: T): z.output<T> {
  const read = form.safeParse(JSON.parse(body.toString('utf8')));
  if (read.success) return read.data;
  throw new Error('the container engine answers in an unknown form');
}
