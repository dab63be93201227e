import { card } from '../../findings/card.ts';

export const refused = card({
  id: 'handshake-refused',
  severity: 'error',
  summary: 'The front refuses the TLS handshake for a name on the map.',
  why: 'It does not know the name: it runs an older configuration, or another server answers.',
  source: 'RFC 6066 §3 (unrecognized_name); RFC 8446 §6.2; RFC 7301 §3.2',
  explains: ['redirect-wrong'],
  messages: {
    ended: {
      message: 'The front refuses the handshake for {names}: {reason}.',
      remedy: 'Make the map live: {live}',
    },
    stalls: {
      message: 'The front does not finish the handshake for {names}: {reason}.',
      remedy: 'Read the log of the front. Something on the way may also drop large packets (MTU).',
    },
    'old-only': {
      message: 'For {names} the front speaks nothing newer than {old}, which browsers refuse.',
      remedy: 'Allow TLS 1.2 and 1.3{tlsVersions}, or replace the server: it is very old.',
    },
  },
});

export const otherName = card({
  id: 'certificate-other-name',
  severity: 'error',
  summary: 'The certificate that the front shows does not cover the name.',
  why: 'Browsers refuse it. Often the right certificate exists, but is not selected for this name, so the default one is shown.',
  source: 'RFC 9525 §6.3',
  explains: [
    'wrong-service',
    'service-unclear',
    'front-cannot-reach-service',
    'redirect-wrong',
    'gate-shut',
    'gate-refused-here',
    'websocket-not-passed',
    'hsts-not-sent',
    'method-not-refused',
    'rate-not-kept',
  ],
  messages: {
    other: {
      message: 'For {names} the front shows a certificate for {shown}.',
      remedy: 'mile-marker check tells how to get one that covers it. Then: {live}',
    },
    default: {
      message:
        'For {names} the front shows its default certificate, for {shown}. The one for the name is not selected.',
      remedy: 'In hand-written files, give the server of this name its own certificate. Make the map live: {live}',
    },
    foreign: {
      message: "For {names} somebody else's server answers: its certificate is for {shown}.",
      remedy: 'Check that `front.address` in the map is yours, and that the router passes port {port} to this machine.',
    },
    throwaway: {
      message: 'For {names} the front shows a throwaway certificate, because there is no real one yet.',
      remedy: 'mile-marker check tells how to get the real one.',
    },
  },
});

export const dates = card({
  id: 'certificate-dates',
  severity: 'error',
  summary: 'The certificate that the front shows has expired, expires soon, or is not valid yet.',
  why: 'Browsers refuse it.',
  source: 'RFC 5280 §4.1.2.5',
  messages: {
    ended: {
      message: 'The certificate that the front shows for {names} expired on {to}.',
      remedy: 'Get a new one: {renewal}. Then: {takeUp}',
    },
    early: {
      message: 'The certificate that the front shows for {names} is not valid before {from}.',
      remedy: 'Check the clock of this machine (timedatectl), and of the machine that made the certificate.',
    },
    soon: {
      message: 'The certificate that the front shows for {names} expires in {days} days, on {to}.',
      remedy: 'Get a new one: {renewal}. Then: {takeUp}',
    },
  },
});

export const untrusted = card({
  id: 'certificate-untrusted',
  severity: 'error',
  summary: 'The certificate that the front shows is not from a trusted authority.',
  why: 'Browsers show a warning. Visitors should never learn to click it away.',
  source: 'RFC 5280 §6',
  messages: {
    'self-made': {
      message: 'The certificate that the front shows for {names} is self-made: no authority signed it.',
      remedy: 'Use one from an authority. If you use it on purpose: mile-marker verify --trust FILE',
    },
    incomplete: {
      message: 'The front shows the certificate for {names} without its intermediate certificate.',
      remedy:
        'Put the whole chain into the certificate file: first the certificate, then the intermediate. Then: {takeUp}',
    },
    unknown: {
      message: 'The certificate that the front shows for {names} is from {issuer}, which browsers do not trust.',
      remedy: 'Use a public authority. If you use it on purpose: mile-marker verify --trust FILE',
    },
    outdated: {
      message:
        'For {names} the front sends an intermediate certificate that is out of date: {subject} is valid from {from} to {to}.',
      remedy:
        'Get the chain again, with the current intermediate certificate of your authority: {renewal}. Then: {takeUp}',
    },
    purpose: {
      message: 'The certificate that the front shows for {names} is not meant for servers.',
      remedy:
        'Use one with the extended key usage "TLS Web Server Authentication". mile-marker check tells how to get one.',
    },
    other: {
      message: 'The chain of the certificate that the front shows for {names} is not accepted: {reason}.',
      remedy: 'Replace the certificate: {renewal}. Then: {takeUp}',
    },
  },
});

export const weakCertificate = card({
  id: 'certificate-weak',
  severity: 'error',
  summary: 'The key or the signature of the certificate that the front shows is too weak.',
  why: 'Browsers refuse it, and with enough effort somebody else can pretend to be you.',
  source: 'CA/Browser Forum Baseline Requirements §6.1.5; RFC 9155',
  messages: {
    weak: {
      message: 'The certificate that the front shows for {names} is too weak: {weak}.',
      remedy:
        'Replace it with one that has an EC key (P-256) or an RSA key of at least 2048 bits, signed with SHA-256: {renewal}. Then: {takeUp}',
    },
  },
});

export const staple = card({
  id: 'certificate-without-staple',
  severity: 'error',
  summary: 'The certificate requires OCSP stapling, and the front does not staple.',
  why: 'Some browsers refuse the connection, others do not.',
  source: 'RFC 7633 (TLS feature); RFC 6066 §8 (certificate status)',
  messages: {
    missing: {
      message: 'The certificate for {names} requires a stapled OCSP answer, and the front sends none.',
      remedy: 'Replace it with one without that requirement: mile-marker certs obtain. Then: {takeUp}',
    },
  },
});

export const chainOrder = card({
  id: 'certificate-chain-order',
  severity: 'warning',
  summary: 'The front sends the certificates of the chain in the wrong order.',
  why: 'Browsers sort them by themselves. Many apps and older programs do not.',
  source: 'RFC 5246 §7.4.2; RFC 8446 §4.4.2',
  messages: {
    order: {
      message: 'The front sends the chain of the certificate for {names} in the wrong order.',
      remedy:
        'In the certificate file put the certificate first, then the one that signed it, and so on. Then: {takeUp}',
    },
  },
});

export const oldTls = card({
  id: 'tls-too-old',
  severity: 'error',
  summary: 'The front accepts a version of TLS that is no longer safe.',
  why: 'Somebody on the way can make both ends fall back to it. No browser needs it any more.',
  source: 'RFC 8996',
  messages: {
    old: {
      message: 'The front accepts {old} for {names}.',
      remedy: 'Allow TLS 1.2 and 1.3 only{tlsVersions}. Mile Marker’s configuration does: {live}',
    },
  },
});

export const weakSuite = card({
  id: 'tls-weak-suite',
  severity: 'warning',
  summary: 'The front accepts a weak cipher suite.',
  why: 'Without forward secrecy, anyone who gets the key later can read what was recorded today.',
  source: 'RFC 9325 §4.1',
  messages: {
    suite: {
      message: 'The front chooses {suite} for {names}.',
      remedy:
        'Allow TLS 1.3, and for TLS 1.2 only suites that begin with ECDHE and use GCM or CHACHA20. Mile Marker’s configuration does: {live}',
    },
    bare: {
      message:
        'For {names} the front accepts the cipher suite {suite}, which does not encrypt or does not authenticate.',
      remedy:
        'Allow TLS 1.3, and for TLS 1.2 only suites that begin with ECDHE and use GCM or CHACHA20{suites}. Mile Marker’s configuration does: {live}',
    },
    unheard: {
      message: 'For {names} it is not known whether the front accepts weak cipher suites: it did not answer in time.',
      remedy: 'Test again with more time: mile-marker verify --timeout 30s',
    },
    taken: {
      message: 'For {names} the front also accepts the weak cipher suite {suite} from old clients.',
      remedy:
        'Allow TLS 1.3, and for TLS 1.2 only suites that begin with ECDHE and use GCM or CHACHA20{suites}. Mile Marker’s configuration does: {live}',
    },
  },
});

export const falseTwo = card({
  id: 'chosen-http2-not-spoken',
  severity: 'error',
  summary: 'The front chooses HTTP/2 in the handshake, but then does not speak it.',
  why: 'Every browser offers HTTP/2, relies on the choice, and shows an error.',
  source: 'RFC 7301 §3.2; RFC 9113 §3.4',
  messages: {
    silent: {
      message: 'The front chooses HTTP/2 for {names}, but then does not speak it.',
      remedy:
        'In hand-written files, remove h2 from what the listener offers. Mile Marker’s configuration is right: {live}',
    },
  },
});

export const notPlanned = card({
  id: 'certificate-not-planned',
  severity: 'note',
  summary: 'The front shows another certificate than the one stored here for the name.',
  why: 'After a renewal the front must be reloaded. Until then it shows the old one, even when that has expired.',
  source: 'Mile Marker: `certs list` shows what is stored here',
  messages: {
    older: {
      message:
        'For {names} the front still shows an older certificate, which expires on {shown}. The one stored here expires on {held}.',
      remedy: 'Now: {reload}. To do this after every renewal: mile-marker install timers',
    },
    forgotten: {
      message:
        'For {names} the front shows a certificate that is wrong (it expires on {shown}). The one stored here is newer and right, and expires on {held}: the front has not loaded it.',
      remedy: 'Now: {takeUp}. To do this after every renewal: mile-marker install timers',
    },
    other: {
      message: 'For {names} the front shows another certificate than the one stored here. It is valid, too.',
      remedy:
        'If another program manages the certificate of this front, nothing needs doing. If not, make the map live: {live}',
    },
  },
});

export const practice = card({
  id: 'certificate-practice',
  severity: 'note',
  summary: 'The certificate is from your practice authority.',
  why: 'Only machines on which you installed that authority accept it.',
  source: 'RFC 5280 §6.1: trust anchors',
  messages: {
    chosen: {
      message: "{names}: the certificate is from your practice authority. Other people's browsers will warn.",
      remedy:
        'Good for practice. For visitors, remove `from: practice` at its certificate in the map, then: mile-marker certs obtain',
    },
    replaced: {
      message: "{names}: the certificate is from your practice authority. Other people's browsers will warn.",
      remedy: 'Get the real one: mile-marker certs obtain',
    },
  },
});

export const tlsCards = [
  refused,
  otherName,
  dates,
  untrusted,
  weakCertificate,
  staple,
  chainOrder,
  oldTls,
  weakSuite,
  falseTwo,
  notPlanned,
  practice,
];
