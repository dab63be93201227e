import type { Server as TcpServer, Socket } from 'node:net';

/**
 * Asks about each connection before the server itself makes anything for it, which for TLS is most of what a connection costs.
 *
 * @param otherFor another server that is to have it; null for this one
 */
export function admitFirst(
  server: TcpServer,
  admit: (socket: Socket) => boolean,
  otherFor?: (socket: Socket) => Promise<TcpServer | null> | null,
): void {
  const own = server.listeners('connection') as Array<(socket: Socket) => void>;
  const goOn = (socket: Socket): void => {
    for (const one of own) one.call(server, socket);
  };
  server.removeAllListeners('connection');
  server.on('connection', (socket: Socket) => {
    if (!admit(socket)) return;
    const other = otherFor?.(socket) ?? null;
    if (other === null) {
      goOn(socket);
      return;
    }
    void other.then((chosen) => {
      if (socket.destroyed) return;
      if (chosen === null) goOn(socket);
      else chosen.emit('connection', socket);
    });
  });
}
