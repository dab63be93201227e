import { STATUS_CODES, type ServerResponse } from 'node:http';
import { frontWords } from '../core/legs/own-pages.ts';

/** What the front itself says. Nothing of the inside stands in it. */
const explanations: Record<number, string> = {
  400: 'The request is malformed.',
  403: 'This name is not open to your network.',
  404: 'There is nothing under this name.',
  405: 'This method is not allowed here.',
  421: 'This connection was made for another name.',
  502: 'The service behind this name cannot be reached.',
  503: 'This name is taken off for a while.',
  504: 'The service behind this name does not answer in time.',
};

/** Sends an answer of the front's own, with a short text unless it redirects. */
export function sendAnswer(
  response: ServerResponse,
  status: number,
  headers: Record<string, string>,
  { location, body }: { location?: string | undefined; body?: string | undefined } = {},
): void {
  if (response.headersSent) {
    response.destroy();
    return;
  }
  const reason = STATUS_CODES[status] ?? '';
  const text =
    body ??
    (location === undefined ? `${frontWords} ${String(status)} ${reason}. ${explanations[status] ?? ''}\n` : '');
  response.writeHead(status, {
    ...(location === undefined ? { 'content-type': 'text/plain; charset=utf-8' } : { location }),
    ...headers,
    'content-length': Buffer.byteLength(text),
  });
  response.end(text);
}
