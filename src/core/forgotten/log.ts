/** One request of a log in the combined format (mod_log_config; ngx_http_log_module). @property person null when nobody logged in @property at milliseconds since the epoch */
interface LoggedRequest {
  person: string | null;
  at: number;
  status: number;
}

const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const form = /^\S+ \S+ (.+?) \[(\d\d)\/(\w{3})\/(\d{4}):(\d\d:\d\d:\d\d) ([+-]\d\d)(\d\d)\] "(?:[^"\\]|\\.)*" (\d{3}) /;

/** Null for a line in another form. */
function readLine(line: string): LoggedRequest | null {
  const [, person = '', day = '', month = '', year = '', time = '', hours = '', minutes = '', status = ''] =
    form.exec(line) ?? [];
  if (status === '' || !months.includes(month)) return null;
  const number = String(months.indexOf(month) + 1).padStart(2, '0');
  const at = Date.parse(`${year}-${number}-${day}T${time}${hours}:${minutes}`);
  return Number.isNaN(at) ? null : { person: person === '-' ? null : person, at, status: Number(status) };
}

/**
 * What the log of a road tells.
 *
 * @property from time of its first line, in milliseconds since the epoch; null when it has none
 * @property answered when somebody last got what they came for; null for never
 * @property people when each person was last let in
 */
export interface LogTold {
  from: number | null;
  answered: number | null;
  people: Map<string, number>;
}

/** Reads what is left of a log, oldest line first. */
export function readLog(text: string): LogTold {
  const told: LogTold = { from: null, answered: null, people: new Map() };
  for (const line of text.split('\n')) {
    const request = readLine(line);
    if (request === null) continue;
    const { at, person, status } = request;
    told.from ??= at;
    if (status < 400) told.answered = Math.max(told.answered ?? 0, at);
    if (person !== null && status !== 401) told.people.set(person, Math.max(told.people.get(person) ?? 0, at));
  }
  return told;
}
