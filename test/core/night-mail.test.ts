import fc from 'fast-check';
import { nightMail } from '../../src/cli/run/verify/night-mail.ts';

test('the news of a night are a message of which nothing that came from outside becomes a header line', () => {
  const finding = (message: string): Parameters<typeof nightMail>[0]['findings'][number] => ({
    ...{ rule: 'service-down', severity: 'error', leg: 'service', roads: [], cause: '', where: null, evidence: {} },
    ...{ message, remedy: 'Start it.' },
  });
  fc.assert(
    fc.property(fc.string({ unit: 'binary' }), fc.string({ unit: 'binary' }), (to, message) => {
      const mail = nightMail({ to, domain: 'saltmarsh.example', since: 'Since then:\n', findings: [finding(message)] });
      const [head = ''] = mail.split('\n\n');
      expect(head.split(/\r|\n/).map((line) => line.split(':')[0])).toEqual([
        'To',
        'Subject',
        'MIME-Version',
        'Content-Type',
        'Content-Transfer-Encoding',
        'Auto-Submitted',
      ]);
      expect(head).toContain('Subject: Mile Marker: saltmarsh.example: 1 finding');
    }),
  );
});
