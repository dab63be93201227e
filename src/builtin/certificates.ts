import { readFile, stat } from 'node:fs/promises';
import { constants } from 'node:crypto';
import { createSecureContext, type SecureContext } from 'node:tls';
import type { DevicesCheck } from '../core/gates/check.ts';
import type { PlannedCertificate } from '../core/plan/plan.ts';
import { suites } from './listeners.ts';

/** Every handshake is a whole one. */
const secureOptions = constants.SSL_OP_NO_TICKET;

interface Held {
  /** When each of its files was changed. */
  changed: string;
  context: SecureContext;
}

async function changedAt(...files: readonly string[]): Promise<string> {
  const found = await Promise.all(files.map((file) => stat(file)));
  return found.map(({ mtimeMs }) => String(mtimeMs)).join(' ');
}

/**
 * Secure contexts by certificate id. A file that changed on disk is read again at the next handshake, so that a renewed
 * certificate needs no restart; while the pair is being replaced the old one goes on serving.
 */
export class CertificateShelf {
  private readonly held = new Map<string, Held>();
  private readonly files: ReadonlyMap<string, PlannedCertificate>;

  constructor(certificates: readonly PlannedCertificate[]) {
    this.files = new Map(certificates.map((certificate) => [certificate.id, certificate]));
  }

  /** @param devices where the certificate of a device is asked for: who vouches for it, and which count no more */
  async contextFor(id: string, devices: DevicesCheck | null = null): Promise<SecureContext> {
    const files = this.files.get(id);
    if (files === undefined) throw new Error(`no certificate ${id}`);
    const name = devices === null ? id : `${id} ${devices.authority}`;
    const before = this.held.get(name);
    try {
      const changed = await changedAt(
        files.certificateFile,
        ...(devices === null ? [] : [devices.authority, devices.removed]),
      );
      if (before?.changed === changed) return before.context;
      const [cert, key] = await Promise.all([readFile(files.certificateFile), readFile(files.keyFile)]);
      const asked =
        devices === null ? {} : { ca: await readFile(devices.authority), crl: await readFile(devices.removed) };
      const common = { minVersion: 'TLSv1.2', ciphers: suites, secureOptions } as const;
      const context = createSecureContext({ cert, key, ...common, ...asked });
      this.held.set(name, { changed, context });
      return context;
    } catch (error) {
      // Whom it would have to refuse now is not let in by what it knew before.
      if (before === undefined || devices !== null) throw error;
      return before.context;
    }
  }
}
