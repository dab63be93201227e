import { readFileSync } from 'node:fs';
import https from 'node:https';
import type { IncomingHttpHeaders, IncomingMessage } from 'node:http';
import { join } from 'node:path';
import type { Authority } from './authority.ts';
import { listening, portOf } from './ports.ts';

export interface Reply {
  status: number;
  headers: IncomingHttpHeaders;
  body: string;
}

/** What happens to one question: `step` as "POST /order-plz". Returns the answer to give, or null to cut the connection. */
export type Meddle = (step: string, pass: () => Promise<Reply>) => Promise<Reply | null>;

export interface Meddler {
  directory: string;
  /** Every question so far. */
  steps: string[];
  meddle: (how: Meddle) => void;
  stop: () => void;
}

/** Stands between the program and an authority, and does to each question and answer what a test wants. */
export async function startMeddler(authority: Authority, tls: string): Promise<Meddler> {
  let how: Meddle = (_, pass) => pass();
  const steps: string[] = [];
  const to = new URL(authority.directory);
  const ca = readFileSync(authority.root);
  const server = await listening(
    https.createServer(
      { cert: readFileSync(join(tls, 'server.pem')), key: readFileSync(join(tls, 'server-key.pem')) },
      (request, answer) => {
        const parts: Buffer[] = [];
        request.on('data', (part: Buffer) => parts.push(part));
        request.on('end', () => {
          // Numbers and random words of orders and accounts are no part of the step.
          const step = `${request.method ?? ''} ${(request.url ?? '').replace(/\/[\w-]{10,}|\/\d+|\/[0-9a-f]{6,}/g, '/*')}`;
          steps.push(step);
          const pass = () => passOn({ to, ca, request, body: Buffer.concat(parts) });
          void how(step, pass)
            .then((reply) => {
              if (reply === null) return answer.destroy();
              return answer.writeHead(reply.status, reply.headers).end(reply.body);
            })
            .catch(() => answer.destroy());
        });
      },
    ),
    0,
  );
  return {
    directory: `https://127.0.0.1:${String(portOf(server))}${to.pathname}`,
    steps,
    meddle: (next) => {
      steps.length = 0;
      how = next;
    },
    stop: () => {
      server.close();
      server.closeAllConnections();
    },
  };
}

interface PassInput {
  to: URL;
  ca: Buffer;
  request: IncomingMessage;
  body: Buffer;
}

/** The Host stays as it came: the authority builds its addresses from it. */
function passOn({ to, ca, request, body }: PassInput): Promise<Reply> {
  const { method = 'GET', url: path = '/', headers } = request;
  return new Promise((resolve, reject) => {
    const onward = https.request(
      { host: to.hostname, port: to.port, method, path, headers, ca, agent: false },
      (answer) => {
        let text = '';
        answer.setEncoding('utf8').on('data', (part: string) => (text += part));
        answer.on('error', reject);
        answer.on('end', () => {
          const headersOn = { ...answer.headers };
          delete headersOn['transfer-encoding'];
          delete headersOn['content-length'];
          resolve({ status: answer.statusCode ?? 0, headers: headersOn, body: text });
        });
      },
    );
    onward.on('error', reject);
    onward.end(body);
  });
}
