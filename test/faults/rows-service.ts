import type { Does, Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const says = (body: string): Does => ({ answers: 200, headers: html, body });
const listed = '<ul><li>one<li>two<li>three<li>four<li>five<li>six<li>seven</ul>';

/** What is behind the front, and what of it comes out. */
export const serviceRows: Row[] = [
  { name: 'the service is not running', rule: 'service-down', says: 'nothing listens', service: { raw: 'nobody' } },
  {
    name: 'the service hangs',
    rule: 'service-down',
    says: 'sends nothing',
    service: { raw: 'silent' },
    node: { https: { frontError: 504 } },
  },
  {
    name: 'the published port leads to nothing inside',
    rule: 'service-down',
    says: 'closes them',
    service: { raw: 'closes' },
    node: { https: { frontError: 502 } },
  },
  {
    name: 'the port is that of SSH',
    rule: 'service-down',
    says: 'does not speak HTTP',
    service: { raw: 'banner' },
    node: { https: { frontError: 502 } },
  },
  {
    name: 'the front leads a prefix to the service of the road',
    rule: 'wrong-service',
    says: 'nestcam.saltmarsh.example/tables',
    road: 'paths: {/tables: ":{tides}"}',
    node: { https: 'passes' },
  },
  {
    name: 'the front leads the road to the service behind a prefix',
    rule: 'wrong-service',
    says: 'nestcam.saltmarsh.example ',
    road: 'paths: {/tables: ":{tides}"}',
    node: { https: { passesTo: 'tides' } },
  },
  {
    name: 'the service breaks off in its page',
    rule: 'service-down',
    says: 'breaks off',
    service: { does: { cutsAfter: '<title>Nest' } },
  },
  {
    name: 'the service speaks HTTPS',
    rule: 'service-down',
    says: 'speaks HTTPS',
    service: { tls: true },
    node: { https: { frontError: 502 } },
  },
  {
    name: 'the service speaks plain HTTP',
    rule: 'service-down',
    says: 'speaks plain HTTP',
    to: '"https://127.0.0.1:{service}"',
    node: { https: { frontError: 502 } },
  },
  {
    name: 'the front dials another port',
    rule: 'front-cannot-reach-service',
    says: 'answers 502 by itself',
    node: { https: { frontError: 502 } },
  },
  {
    name: 'the front gives up too early',
    rule: 'front-cannot-reach-service',
    says: 'took too long',
    node: { https: { frontError: 504 } },
  },
  {
    name: 'an older definition of the name answers',
    rule: 'front-cannot-reach-service',
    says: 'does not ask the service',
    node: { https: { frontError: 404 } },
  },
  {
    name: 'the front never answers for the name',
    rule: 'front-cannot-reach-service',
    says: 'does not answer',
    node: { https: 'hangs' },
  },
  {
    name: 'the front closes instead of answering',
    rule: 'front-cannot-reach-service',
    says: 'breaks off',
    node: { https: 'closes' },
  },
  {
    name: 'the front cuts the page',
    rule: 'front-cannot-reach-service',
    says: 'sends all of it',
    node: { https: { cutsAfter: '<title>Nest camera</title>' } },
  },
  {
    name: 'the front answers with an empty page',
    rule: 'front-cannot-reach-service',
    says: 'an empty page',
    node: { https: { answers: 200, headers: html } },
  },
  {
    name: "the front shows the neighbour's page",
    rule: 'wrong-service',
    says: 'shows the service of tides',
    node: { https: { passesTo: 'tides' } },
  },
  {
    name: "the front shows a server's welcome page",
    rule: 'wrong-service',
    says: 'welcome page',
    node: { https: says('<title>Welcome to nginx!</title><h1>Welcome to nginx!</h1>') },
  },
  {
    name: 'the service redirects to its inside address',
    rule: 'redirect-shows-inside',
    severity: 'warning',
    says: 'an internal address',
    service: { does: { answers: 302, headers: { location: 'http://127.0.0.1:{service}/login' } } },
  },
  {
    name: 'the service redirects to its container name',
    rule: 'redirect-shows-inside',
    severity: 'warning',
    service: { does: { answers: 302, headers: { location: 'http://nestcam:3000/login' } } },
  },
  {
    name: 'the service redirects to plain HTTP',
    rule: 'redirect-shows-inside',
    severity: 'warning',
    says: 'in clear text',
    service: { does: { answers: 302, headers: { location: 'http://nestcam.saltmarsh.example/login' } } },
  },
  {
    name: 'the service redirects to its own port',
    rule: 'redirect-shows-inside',
    severity: 'warning',
    says: 'on a port',
    service: { does: { answers: 302, headers: { location: 'https://nestcam.saltmarsh.example:3000/' } } },
  },
  {
    name: 'the page loads from the inside',
    rule: 'redirect-shows-inside',
    severity: 'warning',
    says: 'The page of',
    service: {
      does: says(`<title>Nest camera</title><script src="http://192.168.64.10:3000/app.js"></script>${listed}`),
    },
  },
  {
    name: 'the page loads over plain HTTP',
    rule: 'redirect-shows-inside',
    severity: 'warning',
    says: 'in clear text',
    service: { does: says(`<title>Nest camera</title><img src="http://nestcam.saltmarsh.example/bird.png">${listed}`) },
  },
  {
    name: 'a session cookie without Secure',
    rule: 'cookie-not-secure',
    severity: 'warning',
    service: {
      does: {
        answers: 200,
        headers: { ...html, 'set-cookie': 'session=x1; Path=/; HttpOnly' },
        body: `<title>Nest camera</title>${listed}`,
      },
    },
  },
  {
    name: 'the service does not trust the proxy',
    rule: 'service-refuses-proxy',
    says: 'its trusted proxies',
    service: {
      does: {
        when: { has: ['x-forwarded-for', '.'] },
        then: { answers: 400, body: 'A request from a reverse proxy was received.' },
        otherwise: 'page',
      },
    },
  },
  {
    name: 'the service does not know its public name',
    rule: 'service-refuses-proxy',
    says: 'public URL',
    service: {
      does: {
        when: { publicName: true },
        then: { answers: 403, body: 'Access through an unknown name.' },
        otherwise: 'page',
      },
    },
  },
  {
    name: 'the page has not the text that the map expects',
    rule: 'expectation-unmet',
    road: 'expect: {text: "Owl box"}',
  },
  {
    name: 'the answer has not the status that the map expects',
    rule: 'expectation-unmet',
    road: 'expect: {status: 204}',
  },
  {
    name: 'a road that redirects leads elsewhere',
    rule: 'road-redirect-wrong',
    to: '{redirect: "https://www.saltmarsh.example"}',
    node: { https: { answers: 301, headers: { location: 'https://www.saltmarsh.example/' } } },
  },
  {
    name: 'the service fails by itself',
    rule: 'service-fails',
    severity: 'warning',
    says: 'Camera asleep',
    service: { does: { answers: 503, headers: html, body: '<title>Camera asleep</title>it wakes at dawn' } },
  },
  {
    name: 'the service fails by itself where the map expects something',
    rule: 'expectation-unmet',
    says: 'expects to find something',
    road: 'expect: {path: /live}',
    service: { does: { when: { target: '^/live' }, then: { answers: 502 }, otherwise: 'page' } },
  },
  {
    name: 'nothing is where the map expects something',
    rule: 'expectation-unmet',
    says: 'answers 404',
    road: 'expect: {path: /live}',
    service: { does: { when: { target: '^/live' }, then: { answers: 404 }, otherwise: 'page' } },
  },
  {
    name: 'the service says itself that it wants HTTPS',
    rule: 'service-down',
    says: 'speaks HTTPS',
    road: 'plain: true',
    service: {
      does: { answers: 400, headers: html, body: '<title>400 The plain HTTP request was sent to HTTPS port</title>' },
    },
    node: { http: 'passes' },
  },
  { name: 'a paused road still answers', rule: 'pause-ignored', road: 'paused: true' },
  {
    name: 'an open console',
    rule: 'console-open-to-everyone',
    severity: 'warning',
    service: { does: says(`<title>Reed bed console</title>${listed}`) },
  },
  {
    name: 'a folder without a page',
    rule: 'folder-no-page',
    to: '{folder: ./site}',
    node: { https: { frontError: 403 } },
  },

  {
    name: 'WebSockets do not pass',
    rule: 'websocket-not-passed',
    says: 'does when the service is asked directly',
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'echoes' },
    node: { passesUpgrade: false },
  },
  {
    name: 'the service takes no WebSockets itself',
    rule: 'websocket-not-passed',
    says: 'does not open it either',
    road: 'expect: {path: /live, websocket: true}',
  },

  {
    name: 'the bare address shows the service',
    rule: 'stranger-sees-something',
    says: 'the bare address',
    node: { strangers: 'passes', showsToAll: true },
  },
  {
    name: 'an unknown name shows the service',
    rule: 'stranger-sees-something',
    says: 'nobody.saltmarsh.example',
    node: {
      strangers: {
        when: { target: '^/$', publicName: false },
        then: { when: { has: ['host', '^nobody'] }, then: 'passes', otherwise: { frontError: 404 } },
        otherwise: 'closes',
      },
      showsToAll: true,
    },
  },
  {
    name: 'the bare address shows a welcome page',
    rule: 'stranger-sees-something',
    says: 'welcome page',
    node: { plainStrangers: says('<title>Welcome to nginx!</title>') },
  },
  { name: 'a method that the map forbids', rule: 'method-not-refused', road: 'methods: [GET, HEAD]' },
  { name: 'more requests than the map allows', rule: 'rate-not-kept', road: 'rate: 2/s burst 3' },
];
