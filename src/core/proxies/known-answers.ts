import { titleOf, type Answer } from '../legs/answer.ts';
import type { Plan } from '../plan/plan.ts';
import { allPrograms } from './programs.ts';

/** Whether this is a page that a freshly installed server shows before anyone has set it up. */
export function isWelcomePage(answer: Answer): boolean {
  return answer.status < 400 && allPrograms.some(({ pages }) => pages.isWelcome(answer));
}

/** Whether an error answer was made by the front and not by a service behind it. */
export function isFrontsOwnError(answer: Answer): boolean {
  return answer.status >= 400 && (answer.isPage === true || allPrograms.some(({ pages }) => pages.isOwnError(answer)));
}

/** What servers answer to plain HTTP on an HTTPS port. */
export function wantsHttps(answer: Answer): boolean {
  return answer.status === 400 && allPrograms.some(({ pages }) => pages.wantsHttps(answer));
}

/** A list of the files in a folder, as servers make it where a page is missing. */
export function isListing({ status, body }: Answer): boolean {
  return status === 200 && /^(index of|directory listing for) \//i.test(titleOf(body) ?? '');
}

/** Whether an answer shows a page of the map's own. They are short enough to be kept whole. */
export function isOwnPage({ status, body }: Answer, { pages }: Pick<Plan, 'pages'>): boolean {
  return status >= 400 && Object.values(pages).includes(body);
}
