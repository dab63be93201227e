import type { VerdictRequest } from '../../src/core/verdict/verdict.ts';

/** A plain sound GET, with whatever is different about it. */
export function requestOf(different: Partial<VerdictRequest>): VerdictRequest {
  return {
    listener: 'https',
    sni: null,
    host: [],
    method: 'GET',
    target: '/',
    httpVersion: '1.1',
    peer: '203.0.113.9',
    headers: {},
    person: 'none',
    overRate: false,
    ...different,
  };
}
