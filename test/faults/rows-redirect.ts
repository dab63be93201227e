import type { Does, NodeFront, Row } from './row.ts';

const to = (status: number, location: string): Does => ({ answers: status, headers: { location } });
const asks: Does = { frontError: 401 };
const shuts: Does = { frontError: 403 };

/** Plain HTTP, HSTS and gates. */
export const redirectRows: Row[] = [
  { name: 'plain HTTP shows the page', rule: 'redirect-wrong', says: 'in clear text', node: { http: 'passes' } },
  { name: 'plain HTTP has no page at all', rule: 'redirect-wrong', node: { http: { frontError: 404 } } },
  {
    name: 'the redirect names another host',
    rule: 'redirect-wrong',
    says: 'another name',
    node: { http: to(301, 'https://tides.saltmarsh.example:{https}{target}') },
  },
  {
    name: 'the redirect names the inside port',
    rule: 'redirect-wrong',
    says: 'a port that visitors do not use',
    node: { http: to(301, 'https://{name}:8443{target}') },
  },
  {
    name: 'the redirect loses the path',
    rule: 'redirect-wrong',
    says: 'path',
    node: { http: to(301, 'https://{name}:{https}/') },
  },
  {
    name: 'the redirect loses the query',
    rule: 'redirect-wrong',
    says: 'query',
    node: { http: to(301, 'https://{name}:{https}{path}') },
  },
  {
    name: 'the redirect stays in clear text',
    rule: 'redirect-wrong',
    says: 'clear text again',
    node: { http: to(301, 'http://{name}:{https}{target}') },
  },
  {
    name: 'the redirect says no place',
    rule: 'redirect-wrong',
    says: 'without saying where',
    node: { http: { answers: 301 } },
  },
  {
    name: 'both sides redirect to each other',
    rule: 'redirect-loop',
    says: ' -> ',
    node: { https: to(301, 'http://{name}:{http}{target}') },
  },
  {
    name: 'HTTPS redirects to itself',
    rule: 'redirect-loop',
    node: { https: to(301, 'https://{name}:{https}{target}') },
  },
  { name: 'HSTS is not sent', rule: 'hsts-not-sent', severity: 'warning', road: 'hsts: 30d' },
  {
    name: 'HSTS is short',
    rule: 'hsts-not-sent',
    severity: 'warning',
    says: 'max-age=300',
    road: 'hsts: 30d',
    node: sends('max-age=300'),
  },
  {
    name: 'HSTS is zero',
    rule: 'hsts-not-sent',
    severity: 'warning',
    says: 'forget',
    road: 'hsts: 30d',
    node: sends('max-age=0'),
  },
  {
    name: 'HSTS is garbled',
    rule: 'hsts-not-sent',
    severity: 'warning',
    says: 'no browser',
    road: 'hsts: 30d',
    node: sends('30d'),
  },

  { name: 'a gate of networks lets everybody in', rule: 'gate-open', says: 'lets this machine in', road: 'gate: far' },
  {
    name: 'a gate believes a forged header',
    rule: 'gate-open',
    says: 'when a header says',
    road: 'gate: far',
    node: { https: { when: { has: ['x-forwarded-for', '^198\\.51\\.100\\.'] }, then: 'passes', otherwise: shuts } },
  },
  { name: 'a gate of people asks nobody', rule: 'gate-open', says: 'without the password', road: 'gate: wardens' },
  {
    name: 'the redirects never come to an end',
    rule: 'redirect-loop',
    says: 'never end',
    service: { does: { answers: 302, headers: { location: 'https://{name}:{https}/?next={time}' } } },
  },
  {
    name: 'a gate takes any password',
    rule: 'gate-open',
    says: 'a wrong password',
    road: 'gate: wardens',
    node: { https: { when: { has: ['authorization', '.'] }, then: 'passes', otherwise: asks } },
  },
  {
    name: 'a gate knows nobody',
    rule: 'gate-shut',
    says: 'with 401',
    road: 'gate: wardens',
    login: true,
    node: { https: asks },
  },
  {
    name: 'a gate whose password file cannot be read',
    rule: 'gate-shut',
    says: 'with 403',
    road: 'gate: wardens',
    login: true,
    node: { https: { when: { has: ['authorization', '.'] }, then: shuts, otherwise: asks } },
  },
];

function sends(value: string): NodeFront {
  return {
    https: {
      answers: 200,
      headers: { 'content-type': 'text/html', 'strict-transport-security': value },
      body: '<title>Nest camera</title>',
    },
  };
}
