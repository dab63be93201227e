import { createPrivateKey, X509Certificate } from 'node:crypto';
import type { Pair } from './make.ts';
import { dnsNamesAlone, forServers, leadsOn, namesIssuer, pemBlocks } from './read.ts';

/** What a pair is for. @property names all that its certificate must have, and none besides @property now milliseconds since the epoch */
interface WantedPair {
  names: readonly string[];
  now: number;
}

/** Chains are three or four long. */
const longestChain = 10;
/** A certificate of a hundred names with its chain has a tenth of this. */
const mostCharacters = 200_000;
/** This machine's clock may be behind the authority's, which dates a certificate as it issues it. */
const clockSlackMs = 5 * 60_000;

/**
 * Why a pair that somebody else made could not be served, or is not what was ordered; null when it is right. Everything is looked at before
 * anything is stored: a server that reads a bad pair does not start.
 */
export function pairProblem({ certificate, key }: Pair, { names, now }: WantedPair): string | null {
  if (certificate.length > mostCharacters) return 'it is too long';
  const blocks = pemBlocks(certificate);
  const rest = blocks.reduce((text, block) => text.replace(block, ''), certificate);
  if (blocks.length === 0 || rest.trim() !== '')
    return 'the answer is not a plain list of PEM certificates (RFC 8555 §9.1)';
  if (blocks.length > longestChain) return `it has ${String(blocks.length)} certificates`;
  const [leaf, ...chain] = parsed(blocks) ?? [];
  if (leaf === undefined) return 'one of its certificates cannot be read';
  return leafProblem(leaf, key, { names, now }) ?? chainProblem(leaf, chain, now);
}

function parsed(blocks: readonly string[]): X509Certificate[] | null {
  try {
    return blocks.map((block) => new X509Certificate(block));
  } catch {
    return null;
  }
}

function leafProblem(leaf: X509Certificate, key: string, { names, now }: WantedPair): string | null {
  if (!belongs(leaf, key)) return 'it is for another key';
  if (leaf.ca) return 'it is one for an authority, not for a server';
  if (!forServers(leaf)) return 'it is not for servers';
  const own = dnsNamesAlone(leaf);
  if (own === null) return 'it covers something other than host names';
  const missing = names.filter((name) => !own.includes(name));
  const foreign = own.filter((name) => !names.includes(name));
  if (missing.length > 0) return `it lacks ${some(missing)}`;
  if (foreign.length > 0) return `it also covers ${some(foreign)}`;
  const [from, to] = [Date.parse(leaf.validFrom), Date.parse(leaf.validTo)];
  if (!(now >= from - clockSlackMs)) return `it is valid from ${day(from)} on`;
  return now < to ? null : `it expired on ${day(to)}`;
}

/** Each signs the one before it, and what stands last leads on to a root that is not sent along. */
function chainProblem(leaf: X509Certificate, chain: readonly X509Certificate[], now: number): string | null {
  if (chain.length === 0) return namesIssuer(leaf) ? 'the certificate of its issuer is not with it' : null;
  if (chain.some((one) => !one.ca)) return 'its chain has a certificate that is not one of an authority';
  if (chain.some((one) => now >= Date.parse(one.validTo))) return 'its chain has an expired certificate';
  return leadsOn([leaf, ...chain]) ? null : 'its chain has a gap: a certificate is not signed by the next one';
}

function belongs(leaf: X509Certificate, key: string): boolean {
  try {
    return leaf.checkPrivateKey(createPrivateKey(key));
  } catch {
    return false;
  }
}

function some(names: readonly string[]): string {
  const shown = names.slice(0, 3).join(', ').slice(0, 200);
  return names.length > 3 ? `${shown} and ${String(names.length - 3)} more` : shown;
}

function day(time: number): string {
  return Number.isNaN(time) ? 'an unreadable date' : new Date(time).toISOString().slice(0, 10);
}
