import https from 'node:https';
import type { Duplex } from 'node:stream';

/** Fronts allow a client only so many connections, and other questions need some too. */
const mostIdle = 64;

/** Shorter than servers keep them, so that few are closed under a question. */
const idleMs = 2000;

/** Connections over TLS that stay open from one question to the next of the same name, address and port, so that one handshake does for many. */
export function keptConnections(): https.Agent {
  // No session is taken up again: each handshake is a whole one.
  const agent = new https.Agent({ keepAlive: true, timeout: idleMs, maxCachedSessions: 0 });
  const keep = agent.keepSocketAlive.bind(agent);
  const reuse = agent.reuseSocket.bind(agent);
  const idle = new Set<Duplex>();
  const known = new WeakSet<Duplex>();
  return Object.assign(agent, {
    keepSocketAlive: (socket: Duplex): boolean => {
      // The oldest gives way: its name has been tested, or waits for something.
      const [oldest] = idle;
      if (idle.size >= mostIdle && oldest !== undefined) {
        idle.delete(oldest);
        oldest.destroy();
      }
      idle.add(socket);
      if (!known.has(socket)) socket.once('close', () => idle.delete(socket));
      known.add(socket);
      // Node's own says nothing when it keeps one, and false when the server has said that it closes it.
      return (keep(socket) as unknown) !== false;
    },
    reuseSocket: (socket: Duplex, request: Parameters<typeof reuse>[1]): void => {
      idle.delete(socket);
      reuse(socket, request);
    },
  });
}
