import type { Severity } from '../../../core/findings/finding.ts';
import type { VerifyRequest } from '../../../use-cases/verify/verify-input.ts';

export interface VerifyOptions extends VerifyRequest {
  map?: string;
  json?: boolean;
  openPorts?: boolean;
  junit?: string;
  report?: string;
  metrics?: string;
  since?: boolean;
  notify?: string[];
  mail?: string;
  verbose?: boolean;
  watch?: number;
  script?: boolean;
  links?: boolean;
  failOn: Severity;
}
