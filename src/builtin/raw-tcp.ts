import net, { type Socket } from 'node:net';
import { reasonOf } from '../adapters/trouble.ts';
import { admits } from '../core/networks/admits.ts';
import type { Plan, PlannedPort } from '../core/plan/plan.ts';

interface PassInput {
  limits: Plan['limits'];
  /** Ends TLS on a connection. */
  secure: (plain: Socket) => Promise<Socket>;
  onTrouble: (message: string) => void;
}

/** Passes one connection on to the service of its port, from whom the gate lets in; anybody else is cut off without a word. */
export function passOn(plain: Socket, port: PlannedPort, { limits, secure, onTrouble }: PassInput): void {
  plain.on('error', () => plain.destroy());
  const from = plain.remoteAddress;
  if (from === undefined || port.to === null || !admits(port.gate, from)) {
    plain.resetAndDestroy();
    return;
  }
  const head = port.tellsVisitor ? visitorLine(plain) : '';
  if (port.tls === null) {
    join(plain, plain, { port, head, limits, onTrouble });
    return;
  }
  secure(plain).then(
    (socket) => join(plain, socket, { port, head, limits, onTrouble }),
    // What a visitor broke off is no news.
    () => plain.destroy(),
  );
}

interface JoinInput extends Pick<PassInput, 'limits' | 'onTrouble'> {
  port: PlannedPort;
  head: string;
}

/** @param plain the visitor's connection @param visitor the same, or what is inside its TLS */
function join(plain: Socket, visitor: Socket, { port, head, limits, onTrouble }: JoinInput): void {
  const { to } = port;
  if (to === null) return;
  const service = net.connect({ host: to.host, port: to.port, allowHalfOpen: true, noDelay: true, keepAlive: true });
  const end = (): void => {
    plain.destroy();
    visitor.destroy();
    service.destroy();
  };
  const place = `its service at ${to.host} port ${String(to.port)}`;
  let isThere = false;
  const late = setTimeout(() => {
    onTrouble(`${place} does not accept the connection in time`);
    end();
  }, limits.connectSeconds * 1000);
  service.once('connect', () => {
    isThere = true;
    clearTimeout(late);
    if (head !== '') service.write(head);
    // Both ways are silent: nobody is there any more.
    for (const socket of [plain, service]) socket.setTimeout(limits.liveSeconds * 1000, end);
    visitor.pipe(service);
    service.pipe(visitor);
  });
  service.on('error', (error) => {
    if (!isThere) onTrouble(`${place} does not answer: ${reasonOf(error)}`);
    end();
  });
  for (const socket of [plain, visitor]) socket.on('error', end);
  // What one side still has to say goes out first.
  plain.once('close', () => {
    clearTimeout(late);
    service.destroySoon();
  });
  service.once('close', () => visitor.destroySoon());
}

/** The head that tells a service who the visitor is (The PROXY protocol, version 1, §2.1). */
function visitorLine({ remoteAddress, localAddress, remotePort, localPort }: Socket): string {
  if (remoteAddress === undefined || localAddress === undefined) return 'PROXY UNKNOWN\r\n';
  const family = net.isIPv6(remoteAddress) ? 'TCP6' : 'TCP4';
  return `PROXY ${family} ${remoteAddress} ${localAddress} ${String(remotePort)} ${String(localPort)}\r\n`;
}
