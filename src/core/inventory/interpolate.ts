/** A variable that had no value where one was needed. `message` is what the file itself says about it. */
interface VariableProblem {
  variable: string;
  kind: 'unset' | 'required' | 'malformed';
  message: string;
}

interface Interpolated {
  text: string;
  problems: VariableProblem[];
}

/**
 * Replaces variables as the Compose Specification's section "Interpolation" has it: `$VAR`, `${VAR}`, `${VAR:-default}`,
 * `${VAR-default}`, `${VAR:?error}`, `${VAR?error}`, `${VAR:+instead}`, `${VAR+instead}`, nested, and `$$` for a dollar sign.
 * With a colon an empty value counts as unset. An unset variable without a default becomes empty, and is reported.
 */
export function interpolate(text: string, variables: Readonly<Record<string, string>>): Interpolated {
  const problems: VariableProblem[] = [];
  let out = '';
  let at = 0;
  while (at < text.length) {
    const dollar = text.indexOf('$', at);
    if (dollar === -1) return { text: out + text.slice(at), problems };
    out += text.slice(at, dollar);
    const taken = takeVariable(text, dollar, variables);
    out += taken.text;
    problems.push(...taken.problems);
    at = taken.end;
  }
  return { text: out, problems };
}

interface Taken extends Interpolated {
  end: number;
}

function takeVariable(text: string, at: number, variables: Readonly<Record<string, string>>): Taken {
  if (text[at + 1] === '$') return { text: '$', problems: [], end: at + 2 };
  if (text[at + 1] === '{') return takeBraced(text, at, variables);
  const name = /^[a-zA-Z_]\w*/.exec(text.slice(at + 1))?.[0];
  if (name === undefined) {
    const problem = { variable: '$', kind: 'malformed' as const, message: 'a lone dollar sign; write $$ to mean one' };
    return { text: '$', problems: [problem], end: at + 1 };
  }
  const value = own(variables, name);
  return { text: value ?? '', problems: value === null ? [unset(name)] : [], end: at + 1 + name.length };
}

function takeBraced(text: string, at: number, variables: Readonly<Record<string, string>>): Taken {
  const end = closingBrace(text, at + 1);
  const inner = end === -1 ? '' : text.slice(at + 2, end);
  const match = /^([a-zA-Z_]\w*)(?:(:?[-?+])([\s\S]*))?$/.exec(inner);
  if (end === -1 || match === null) {
    const problem = {
      variable: inner,
      kind: 'malformed' as const,
      message: '${...} is not closed or has no proper name',
    };
    return {
      text: text.slice(at, end === -1 ? undefined : end + 1),
      problems: [problem],
      end: end === -1 ? text.length : end + 1,
    };
  }
  const [, name = '', operator = '', word = ''] = match;
  return { ...valueOf({ name, operator, word, variables }), end: end + 1 };
}

function closingBrace(text: string, open: number): number {
  let depth = 0;
  for (let at = open; at < text.length; at += 1) {
    if (text[at] === '{') depth += 1;
    if (text[at] === '}') depth -= 1;
    if (depth === 0) return at;
  }
  return -1;
}

interface Reference {
  name: string;
  operator: string;
  word: string;
  variables: Readonly<Record<string, string>>;
}

function valueOf({ name, operator, word, variables }: Reference): Interpolated {
  const value = own(variables, name);
  const has = value !== null && !(operator.startsWith(':') && value === '');
  switch (operator.slice(-1)) {
    case '-':
      return has ? { text: value, problems: [] } : interpolate(word, variables);
    case '+':
      return has ? interpolate(word, variables) : { text: '', problems: [] };
    case '?':
      return has
        ? { text: value, problems: [] }
        : { text: '', problems: [{ variable: name, kind: 'required', message: word }] };
    default:
      return { text: value ?? '', problems: value === null ? [unset(name)] : [] };
  }
}

function own(variables: Readonly<Record<string, string>>, name: string): string | null {
  return Object.hasOwn(variables, name) ? (variables[name] ?? null) : null;
}

function unset(name: string): VariableProblem {
  return { variable: name, kind: 'unset', message: 'it is set neither in the environment nor in .env' };
}
