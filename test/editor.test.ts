import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import {
  createMessageConnection,
  StreamMessageReader,
  StreamMessageWriter,
  type MessageConnection,
} from 'vscode-jsonrpc/node';
import { folderWith, mileMarker } from './support/program.ts';

/** A first map in an editor: a YAML language server finds the schema by the map's first line, without a network. */

let server: ChildProcess;
let editor: MessageConnection;
let folder: string;
let uri: string;
let text: string;

interface Said {
  uri: string;
  diagnostics: Array<{ range: { start: { line: number } }; message: string }>;
}
let onSaid: (said: Said) => void = () => undefined;

beforeAll(async () => {
  folder = folderWith();
  await mileMarker(['init', '--domain', 'saltmarsh.example', '--address', '203.0.113.24'], folder);
  const file = join(folder, 'mile-marker.yaml');
  text = `${readFileSync(file, 'utf8')}  nestcam:\n    to: nestcam:3000\n    gate: everyone\n    pa\n  moon:\n    too: moon:80\n`;
  writeFileSync(file, text);
  uri = pathToFileURL(file).href;
  const program = createRequire(__filename).resolve('yaml-language-server/bin/yaml-language-server');
  server = spawn(process.execPath, [program, '--stdio'], { stdio: ['pipe', 'pipe', 'ignore'] });
  if (server.stdout === null || server.stdin === null) throw new Error('no pipes');
  editor = createMessageConnection(new StreamMessageReader(server.stdout), new StreamMessageWriter(server.stdin));
  const settings = { hover: true, completion: true, validate: true, schemaStore: { enable: false } };
  editor.onRequest('workspace/configuration', ({ items }: { items: Array<{ section: string }> }) =>
    items.map(({ section }) => (section === 'yaml' ? settings : {})),
  );
  editor.onRequest('client/registerCapability', () => null);
  editor.onNotification('textDocument/publishDiagnostics', (said: Said) => onSaid(said));
  editor.listen();
  const capabilities = { workspace: { configuration: true }, textDocument: { completion: {}, hover: {} } };
  await editor.sendRequest('initialize', { processId: process.pid, rootUri: pathToFileURL(folder).href, capabilities });
  await editor.sendNotification('initialized', {});
});

afterAll(() => {
  editor.dispose();
  server.kill();
});

/** Line of the text on which something stands, and how far in. */
function placeOf(words: string): { line: number; character: number } {
  const line = text.split('\n').findIndex((one) => one.startsWith(words));
  return { line, character: (text.split('\n')[line] ?? '').indexOf(words) };
}

test('completes keys and values, says what a key is, and marks what does not fit where it stands', async () => {
  const heard = new Promise<Said>(
    (resolve) => (onSaid = (said) => void (said.diagnostics.length > 0 && resolve(said))),
  );
  await editor.sendNotification('textDocument/didOpen', {
    textDocument: { uri, languageId: 'yaml', version: 1, text },
  });
  const { diagnostics } = await heard;
  expect(diagnostics.map(({ range, message }) => [range.start.line, message])).toContainEqual([
    placeOf('    too: moon').line,
    'Property too is not allowed.',
  ]);
  const offered = async (position: object): Promise<string[]> => {
    const { items } = await editor.sendRequest<{ items: Array<{ label: string }> }>('textDocument/completion', {
      ...{ textDocument: { uri }, position },
    });
    return items.map(({ label }) => label);
  };
  const { line } = placeOf('    pa');
  expect(await offered({ line, character: 6 })).toEqual(expect.arrayContaining(['paused', 'paths']));
  const proxy = placeOf('  proxy: builtin');
  expect(await offered({ ...proxy, character: proxy.character + 9 })).toEqual(['builtin', 'nginx', 'httpd', 'haproxy']);
  const gate = placeOf('    gate: everyone');
  const inGate = { ...gate, character: 6 };
  const about = await editor.sendRequest<object>('textDocument/hover', {
    ...{ textDocument: { uri }, position: inGate },
  });
  expect(JSON.stringify(about)).toContain('Who may pass. `home` unless you say otherwise');
});
