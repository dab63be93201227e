import { lstat } from 'node:fs/promises';
import { join } from 'node:path';
import send from 'send';
import { contentTypes, unknownType } from '../core/names/content-types.ts';
import { pathOf } from '../core/verdict/target.ts';
import type { Act } from '../core/verdict/verdict.ts';
import { sendAnswer, type AnyResponse } from './answer.ts';
import type { AnyRequest } from './request.ts';

/** Shows a file of a folder, with ranges and conditions (RFC 9110 §13, §14); 404 for all that is not a plain file there. */
export async function showFile(
  request: AnyRequest,
  response: AnyResponse,
  { root, path, target, headers }: Extract<Act, { act: 'folder' }>,
  authority: string,
): Promise<void> {
  const found = path === null ? 'nothing' : await whatIs(root, path);
  if (path === null || found === 'nothing') {
    sendAnswer(response, 404, headers);
    return;
  }
  if (found === 'folder') {
    const bare = pathOf(target);
    sendAnswer(response, 307, headers, { location: `${authority}${bare}/${target.slice(bare.length)}` });
    return;
  }
  for (const [name, value] of Object.entries(headers)) response.setHeader(name, value);
  const extension = /\.([^./]+)$/.exec(path)?.[1]?.toLowerCase() ?? '';
  response.setHeader(
    'content-type',
    Object.hasOwn(contentTypes, extension) ? (contentTypes[extension] ?? unknownType) : unknownType,
  );
  // The path is whole and was looked at; `send` must neither decode it again nor look for an index.
  const options = { root, index: false, dotfiles: 'allow', cacheControl: false } as const;
  send(request as Parameters<typeof send>[0], encodeURI(path).replace(/[?#]/g, encodeURIComponent), options)
    .on('error', (error: SendError) => refuse(response, error, headers))
    .on('directory', () => refuse(response, {}, headers))
    .pipe(response as Parameters<ReturnType<typeof send>['pipe']>[0]);
}

interface SendError {
  status?: number;
  headers?: Record<string, string>;
}

/** What `send` said of the file so far is not said of its absence. */
function refuse(response: AnyResponse, { status, headers = {} }: SendError, own: Record<string, string>): void {
  for (const name of response.getHeaderNames()) response.removeHeader(name);
  // RFC 9110 §13.1.1 (412), §15.5.17 (416, with the length that there is).
  const known = status === 412 || status === 416 ? status : 404;
  const range = headers['Content-Range'];
  sendAnswer(response, known, { ...own, ...(range === undefined ? {} : { 'content-range': range }) });
}

/** No link is followed below the root, so that none leads out of it. */
async function whatIs(root: string, path: string): Promise<'file' | 'folder' | 'nothing'> {
  let at = root;
  const parts = path.split('/').filter((part) => part !== '');
  for (const [index, part] of parts.entries()) {
    at = join(at, part);
    const there = await lstat(at).catch(() => null);
    const last = index === parts.length - 1;
    if (there === null || there.isSymbolicLink()) return 'nothing';
    if (last && there.isFile()) return 'file';
    if (!there.isDirectory()) return 'nothing';
  }
  return parts.length === 0 ? 'nothing' : 'folder';
}
