import { readFile, stat } from 'node:fs/promises';
import { constants } from 'node:crypto';
import { createSecureContext, type SecureContext } from 'node:tls';
import type { PlannedCertificate } from '../core/plan/plan.ts';
import { suites } from './listeners.ts';

/** Every handshake is a whole one. */
const secureOptions = constants.SSL_OP_NO_TICKET;

interface Held {
  changed: number;
  context: SecureContext;
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

  async contextFor(id: string): Promise<SecureContext> {
    const files = this.files.get(id);
    if (files === undefined) throw new Error(`no certificate ${id}`);
    const before = this.held.get(id);
    try {
      const { mtimeMs: changed } = await stat(files.certificateFile);
      if (before?.changed === changed) return before.context;
      const [cert, key] = await Promise.all([readFile(files.certificateFile), readFile(files.keyFile)]);
      const context = createSecureContext({ cert, key, minVersion: 'TLSv1.2', ciphers: suites, secureOptions });
      this.held.set(id, { changed, context });
      return context;
    } catch (error) {
      if (before === undefined) throw error;
      return before.context;
    }
  }
}
