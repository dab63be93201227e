import http, { type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { WebSocketServer } from 'ws';
import type { DemoService } from './scenario.ts';

/** Small stand-ins for the observatory's services, on loopback. */
interface RunningServices {
  ports: Record<DemoService, number>;
  stop: () => Promise<void>;
}

type Handler = (request: IncomingMessage, response: ServerResponse, port: number) => void;

/** tide-tables is missing on purpose: it is the service that is down. */
const handlers: Record<Exclude<DemoService, 'tide-tables'>, Handler> = {
  'visitor-pages': page(
    'Salt Marsh Observatory',
    '<p>Hides are open from sunrise to sunset. Dogs stay on the dyke path.</p>',
  ),
  'bird-log': page('Bird log', '<table><tr><td>dunlin<td>240<tr><td>avocet<td>12<tr><td>spoonbill<td>3</table>'),
  nestcam: page(
    'Nest camera',
    `<p>Frame <b id="frame">waiting</b></p><script>
const live = new WebSocket(location.href.replace('http', 'ws') + 'live');
live.onmessage = (event) => { document.getElementById('frame').textContent = event.data; };
</script>`,
  ),
  // An application that does not know its public URL, as many do on the first evening.
  roster: (request, response, port) => {
    if (request.url?.startsWith('/login') === true)
      page('Roster', '<form>Warden <input name="warden"></form>')(request, response, port);
    else response.writeHead(302, { location: `http://127.0.0.1:${String(port)}/login` }).end();
  },
  workbench: page('Workbench', '<p>Ring numbers, moult cards and the weighing table.</p>'),
};

/** A page with the time in it, since real pages change at every visit too. */
function page(title: string, body: string): Handler {
  return (request, response) => {
    const seen = `<footer>${request.headers['x-forwarded-proto'] ?? 'http'} at ${new Date().toISOString()}</footer>`;
    response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' });
    response.end(`<!doctype html><html lang="en"><title>${title}</title><h1>${title}</h1>${body}${seen}</html>\n`);
  };
}

export async function startServices(): Promise<RunningServices> {
  const servers: Server[] = [];
  const ports: Partial<Record<DemoService, number>> = {};
  for (const [name, handler] of Object.entries(handlers) as Array<[Exclude<DemoService, 'tide-tables'>, Handler]>) {
    const server = http.createServer((request, response) =>
      handler(request, response, (server.address() as AddressInfo).port),
    );
    servers.push(server);
    if (name === 'nestcam') addLive(server);
    ports[name] = await listen(server);
  }
  ports['tide-tables'] = await freePort();
  return { ports: ports as Record<DemoService, number>, stop: () => stopAll(servers) };
}

/** The live page: a frame number twice a second over a WebSocket. */
function addLive(server: Server): void {
  const live = new WebSocketServer({ server, path: '/live' });
  live.on('connection', (socket) => {
    let frame = 0;
    const send = (): void => socket.send(String((frame += 1)));
    send();
    const timer = setInterval(send, 500);
    socket.on('close', () => clearInterval(timer));
  });
  // `ws` passes the server's own errors on; they are dealt with where the server listens.
  live.on('error', () => undefined);
}

async function stopAll(servers: readonly Server[]): Promise<void> {
  await Promise.all(
    servers.map(
      (server) =>
        new Promise<void>((resolve) => {
          server.close(() => resolve());
          server.closeAllConnections();
        }),
    ),
  );
}

function listen(server: Server, port = 0): Promise<number> {
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', () => resolve((server.address() as AddressInfo).port));
  });
}

/** `wanted` if nobody has it, else any port that is free at this moment. */
export async function freePort(wanted = 0): Promise<number> {
  const server = http.createServer();
  try {
    return await listen(server, wanted);
  } catch {
    return freePort();
  } finally {
    server.close();
  }
}
