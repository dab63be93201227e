import 'reflect-metadata';
import { AuthorityKeyIdentifierExtension, X509Certificate } from '@peculiar/x509';
import * as z from 'zod';
import { certificateId, type SuggestedWindow } from '../../core/certificates/renewal.ts';
import { readText } from '../files/read-text.ts';
import type { Authority } from './authority.ts';
import { getJson } from './transport.ts';

const directoryForm = z.object({ renewalInfo: z.string().optional() });
const infoForm = z.object({ suggestedWindow: z.object({ start: z.string(), end: z.string() }) });

/**
 * When the authority would like to see a certificate renewed (RFC 9773 §4.2), or null when it does not say: it may offer
 * nothing of the kind, be out of reach, or not know the certificate. Then the certificate's own life decides.
 */
export async function suggestedWindow(authority: Authority, certificateFile: string): Promise<SuggestedWindow | null> {
  try {
    const id = idOf(await readText({ path: certificateFile, what: 'certificate' }));
    const { renewalInfo } = directoryForm.parse(await getJson(authority.url, authority));
    if (id === null || renewalInfo === undefined) return null;
    const { suggestedWindow: window } = infoForm.parse(
      await getJson(`${renewalInfo.replace(/\/$/, '')}/${id}`, authority),
    );
    const [start, end] = [Date.parse(window.start), Date.parse(window.end)];
    return Number.isNaN(start) || Number.isNaN(end) ? null : { start, end };
  } catch {
    return null;
  }
}

function idOf(text: string): string | null {
  const certificate = new X509Certificate(text);
  const issuerKey = certificate.getExtension(AuthorityKeyIdentifierExtension)?.keyId;
  return issuerKey === undefined ? null : certificateId(Buffer.from(issuerKey, 'hex'), certificate.serialNumber);
}
