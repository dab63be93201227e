import { headerOf, titleOf, type Answer } from './answer.ts';

/** First words of every error that the builtin proxy answers by itself. */
export const frontWords = 'Mile Marker front:';

/** Pages that servers show by themselves. Titles and words as their own default files and error pages have them. */
const welcomeTitles = [/^welcome to nginx!?$/i, /^apache2? .*default page/i, /^test page for /i, /^it works!?$/i];

/** Whether this is a page that a freshly installed server shows before anyone has set it up. */
export function isWelcomePage(answer: Answer): boolean {
  const title = titleOf(answer.body) ?? '';
  return (
    answer.status < 400 &&
    (welcomeTitles.some((pattern) => pattern.test(title)) || /<h1>It works!<\/h1>/i.test(answer.body))
  );
}

/** Without its signature, which is off unless somebody switched it on. */
const httpdError =
  /^<!DOCTYPE HTML PUBLIC "[^"]+"(?: "[^"]+")?>\s*<html><head>\s*<title>\d{3} [^<]+<\/title>\s*<\/head><body>\s*<h1>/;

/** Whether an error answer was made by the front and not by a service behind it. */
export function isFrontsOwnError(answer: Answer): boolean {
  if (answer.status < 400) return false;
  const { body } = answer;
  if (body.startsWith(frontWords)) return true;
  const server = headerOf(answer, 'server') ?? '';
  if (/^nginx/.test(server) && /<hr><center>nginx(\/[\d.]+)?( \([^)]*\))?<\/center>/.test(body)) return true;
  if (/^Apache/.test(server) && (/<address>Apache/.test(body) || httpdError.test(body))) return true;
  return /^<html><body><h1>\d{3} [^<]+<\/h1>\s*[^<]+\s*<\/body><\/html>\s*$/.test(body);
}

/** What servers answer to plain HTTP on an HTTPS port. */
export function wantsHttps({ status, body }: Answer): boolean {
  return status === 400 && /HTTP request (was sent )?to (an )?HTTPS|speaking plain HTTP to an SSL/i.test(body);
}
