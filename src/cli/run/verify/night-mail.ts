import { domainToASCII } from 'node:url';
import { runAfter } from '../../../adapters/processes/run-after.ts';
import { oneLine } from '../../../core/outside/words.ts';
import type { Finding } from '../../../core/findings/finding.ts';
import { formatFindings } from '../../print/findings.ts';

/** Where mail programs leave a command of this name (FHS 3.0, §4.10.1 and `sendmail`). */
export const mailProgram = '/usr/sbin/sendmail';

interface NightMail {
  /** One address, or the name of a user of this machine. */
  to: string;
  domain: string;
  /** What came and went, in words. */
  since: string;
  findings: readonly Finding[];
}

/** The news of a night as a message (RFC 5322), read by `sendmail -t`. Nothing of it can become another header line. */
export function nightMail({ to, domain, since, findings }: NightMail): string {
  const count = findings.length;
  const subject = `Mile Marker: ${domainToASCII(domain)}: ${count === 0 ? 'everything works again' : `${String(count)} ${count === 1 ? 'finding' : 'findings'}`}`;
  return `To: ${oneLine(to)}
Subject: ${oneLine(subject)}
MIME-Version: 1.0
Content-Type: text/plain; charset=utf-8
Content-Transfer-Encoding: 8bit
Auto-Submitted: auto-generated

${since}
${formatFindings([...findings], { width: 72, colour: false })}`;
}

/** Hands a message to this machine's own mail. @throws Trouble `then-failed` */
export async function sendMail(message: string): Promise<void> {
  const remedy = `See whether ${mailProgram} delivers: echo test | ${mailProgram} root. The findings are shown above and saved.`;
  await runAfter([mailProgram, '-t', '-i'], { input: message, remedy });
}
