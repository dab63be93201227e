import { card } from '../findings/card.ts';

export const refused = card({
  id: 'handshake-refused',
  severity: 'error',
  summary: 'The front ends the TLS handshake for a name on the map.',
  why: 'It does not know the name: the newest configuration is not running, or another server answers.',
  source: 'RFC 6066 §3 (unrecognized_name); RFC 8446 §6.2; RFC 7301 §3.2',
  explains: ['redirect-wrong'],
  messages: {
    ended: {
      message: 'The front ends the handshake for {names}: {reason}.',
      remedy: 'Bring the newest map live: restart mile-marker serve, or write and reload your nginx.',
    },
    stalls: {
      message: 'The front does not come to the end of a handshake for {names}: {reason}.',
      remedy: 'Look at the log of the front; something between may also pass small packets only (MTU).',
    },
    'old-only': {
      message: 'The front takes nothing newer than {old} for {names}, which browsers refuse.',
      remedy:
        'Let it take TLS 1.2 and 1.3 (nginx: `ssl_protocols TLSv1.2 TLSv1.3`), or replace the server: it is very old.',
    },
  },
});

export const otherName = card({
  id: 'certificate-other-name',
  severity: 'error',
  summary: 'The certificate that the front shows does not cover the name.',
  why: 'Browsers refuse it. Often the right certificate exists and is not selected for this name, so the default one is shown.',
  source: 'RFC 9525 §6.3',
  explains: [
    'wrong-service',
    'service-unclear',
    'front-cannot-reach-service',
    'redirect-wrong',
    'gate-shut',
    'gate-held',
    'websocket-not-passed',
    'hsts-not-sent',
    'method-not-refused',
    'rate-not-held',
  ],
  messages: {
    other: {
      message: 'For {names} the front shows a certificate for {shown}.',
      remedy: 'Make one that covers it (mile-marker certs make) and bring it live.',
    },
    default: {
      message:
        'For {names} the front shows its default certificate, for {shown}: the one for the name is not selected.',
      remedy: 'Bring the newest map live. In files made by hand: give the server of this name its own certificate.',
    },
    foreign: {
      message: "For {names} somebody else's server answers: its certificate is for {shown}.",
      remedy: 'Check that `front.address` is yours, and that the router passes port {port} to this machine.',
    },
    throwaway: {
      message: 'For {names} the front shows the throwaway certificate, since none is held.',
      remedy: 'Run: mile-marker check. It says what gets the real one.',
    },
  },
});

export const dates = card({
  id: 'certificate-dates',
  severity: 'error',
  summary: 'The certificate that the front shows is out of its dates, or soon will be.',
  why: 'Browsers refuse it from one second to the next.',
  source: 'RFC 5280 §4.1.2.5',
  messages: {
    ended: {
      message: 'The certificate that the front shows for {names} ended on {to}.',
      remedy: 'Renew it and reload the front. For practice: mile-marker certs make',
    },
    early: {
      message: 'The certificate that the front shows for {names} counts only from {from} on.',
      remedy: 'Check the clock of the machine that made it, or wait.',
    },
    soon: {
      message: 'The certificate that the front shows for {names} ends in {days} days, on {to}.',
      remedy: 'Renew it now. For practice: mile-marker certs make',
    },
  },
});

export const untrusted = card({
  id: 'certificate-untrusted',
  severity: 'error',
  summary: 'The certificate that the front shows does not lead to an authority that is trusted.',
  why: 'Browsers show a warning that visitors should never learn to click away.',
  source: 'RFC 5280 §6',
  messages: {
    'self-made': {
      message: 'The certificate that the front shows for {names} is self-made: it was issued by itself.',
      remedy: 'Use one from an authority, or say --trust FILE if it is meant to be trusted.',
    },
    incomplete: {
      message: 'The front shows the certificate for {names} without its intermediate.',
      remedy: 'Put the whole chain into the certificate file: the leaf first, then the intermediate.',
    },
    unknown: {
      message:
        'The certificate that the front shows for {names} was issued by {issuer}, which is trusted neither publicly nor by --trust.',
      remedy: 'Use a trusted authority, or name its certificate with --trust FILE.',
    },
    purpose: {
      message: 'The certificate that the front shows for {names} is not made for servers.',
      remedy: 'Use one whose extended key usage has "TLS Web Server Authentication".',
    },
    other: {
      message: 'The chain of the certificate that the front shows for {names} is not accepted: {reason}.',
      remedy: 'Replace the certificate.',
    },
  },
});

export const weakCertificate = card({
  id: 'certificate-weak',
  severity: 'error',
  summary: 'The certificate that the front shows has a key or a signature that is too weak.',
  why: 'Browsers refuse it, and with enough effort somebody else can pass for you.',
  source: 'CA/Browser Forum Baseline Requirements §6.1.5; RFC 9155',
  messages: {
    weak: {
      message: 'The certificate that the front shows for {names} is too weak: {weak}.',
      remedy: 'Replace it by one with an EC key (P-256) or an RSA key of 2048 bits or more, signed with SHA-256.',
    },
  },
});

export const chainOrder = card({
  id: 'certificate-chain-order',
  severity: 'warning',
  summary: 'The front sends the certificates of the chain in the wrong order.',
  why: 'Browsers sort them out by themselves, and many apps and older programs do not.',
  source: 'RFC 5246 §7.4.2; RFC 8446 §4.4.2',
  messages: {
    order: {
      message: 'The front sends the chain of the certificate for {names} in the wrong order.',
      remedy: 'In the certificate file put the leaf first, then the one that signed it, and so on.',
    },
  },
});

export const oldTls = card({
  id: 'tls-too-old',
  severity: 'error',
  summary: 'The front takes a version of TLS that is no longer safe.',
  why: 'Somebody on the way can make both ends fall back to it. No browser needs it any more.',
  source: 'RFC 8996',
  messages: {
    old: {
      message: 'The front takes {old} for {names}.',
      remedy: 'Allow TLS 1.2 and 1.3 only (nginx: `ssl_protocols TLSv1.2 TLSv1.3` in the default server of the port).',
    },
  },
});

export const weakSuite = card({
  id: 'tls-weak-suite',
  severity: 'warning',
  summary: 'The front agrees with a modern client on a cipher suite that is weak.',
  why: 'Without forward secrecy whoever gets the key later reads what was recorded today.',
  source: 'RFC 9325 §4.1',
  messages: {
    suite: {
      message: 'The front chooses {suite} for {names}.',
      remedy: 'Allow TLS 1.3, and for TLS 1.2 only suites whose name begins with ECDHE and ends with GCM or CHACHA20.',
    },
  },
});

export const falseTwo = card({
  id: 'chosen-http2-not-spoken',
  severity: 'error',
  summary: 'The front chooses HTTP/2 in the handshake, and then does not speak it.',
  why: 'Every browser offers HTTP/2, takes the choice by its word, and shows an error.',
  source: 'RFC 7301 §3.2; RFC 9113 §3.4',
  messages: {
    silent: {
      message: 'The front chooses HTTP/2 for {names} and then does not speak it.',
      remedy:
        'Take h2 out of what the listener offers, or let what ends TLS pass HTTP/2 on to something that speaks it.',
    },
  },
});

export const notPlanned = card({
  id: 'certificate-not-planned',
  severity: 'note',
  summary: 'The front shows another certificate than the one that lies here for the name.',
  why: 'After a renewal the front must be reloaded; until then it shows the old one, until that ends.',
  source: 'Mile Marker: `certs list` shows what lies here',
  messages: {
    older: {
      message:
        'For {names} the front still shows an older certificate, which ends on {shown}; the one that lies here ends on {held}.',
      remedy: 'Reload the front. mile-marker certs renew --then does so each time.',
    },
    other: {
      message: 'For {names} the front shows another certificate than the one that lies here; it is sound, too.',
      remedy: 'Nothing, when somebody else keeps the certificate of this front; else bring the newest map live.',
    },
  },
});

export const practice = card({
  id: 'certificate-practice',
  severity: 'note',
  summary: 'The certificate is from the practice authority.',
  why: 'Only machines on which you installed that authority accept it.',
  source: 'RFC 5280 §6.1: trust anchors',
  messages: {
    practice: {
      message: "{names}: the certificate is from your practice authority; other people's browsers will warn.",
      remedy: 'Good for practice. For visitors you need one from a public authority.',
    },
  },
});

export const tlsCards = [
  refused,
  otherName,
  dates,
  untrusted,
  weakCertificate,
  chainOrder,
  oldTls,
  weakSuite,
  falseTwo,
  notPlanned,
  practice,
];
