import { shownAuthority } from '../../core/certificates/attempts.ts';

/** The authority that `staging` and `production` mean: the public one that issues to everybody without a charge. */
const directories = {
  staging: 'https://acme-staging-v02.api.letsencrypt.org/directory',
  production: 'https://acme-v02.api.letsencrypt.org/directory',
};

/** @property isPublic asked by everybody, so that mistakes cost everybody's patience */
export interface Authority {
  url: string;
  shown: string;
  isPublic: boolean;
  /** PEM of the root to trust for its own API, or null for the usual ones. */
  root: string | null;
}

export function authorityFor(directory: string, root: string | null): Authority {
  const isPublic = directory === 'staging' || directory === 'production';
  const url = isPublic ? directories[directory] : directory;
  return { url, shown: shownAuthority(directory), isPublic, root };
}
