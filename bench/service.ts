import http from 'node:http';
import { WebSocketServer } from 'ws';

/** Takes uploads and echoes the frames of WebSockets. Argument: port */
const server = http.createServer((request, response) => {
  request.resume();
  request.on('end', () => response.end('taken\n'));
});
const live = new WebSocketServer({ server });
live.on('connection', (socket) => socket.on('message', (data, isBinary) => socket.send(data, { binary: isBinary })));
server.listen(Number(process.argv[2]), '127.0.0.1', () => process.stdout.write('ready\n'));
