import { createSocket } from 'node:dgram';
import { AUTHORITATIVE_ANSWER, decode, encode } from 'dns-packet';
import type { Row } from './row.ts';

/** A name server with the records of a row: `refuses`, `fails` and `silent` are what it does for that one name. */
export async function startRecords(
  records: Record<string, NonNullable<Row['records']>>,
): Promise<{ port: number; stop: () => void }> {
  const socket = createSocket('udp4');
  socket.on('message', (message, from) => {
    const query = decode(message);
    const [question] = query.questions ?? [];
    const name = question?.name.toLowerCase() ?? '';
    const known = records[name] ?? records[name.replace(/^[^.]+/, '*')] ?? 'nothing';
    if (known === 'silent' || question === undefined) return;
    const codes = { nothing: 3, fails: 2, refuses: 5, bogus: 2 };
    // What its signatures forbid comes to whoever does not look at them (RFC 4035 §3.2.2).
    const isBogus = known === 'bogus' && !query.flag_cd;
    const list = known === 'bogus' ? (isBogus ? [] : ['127.0.0.1']) : typeof known === 'string' ? [] : known;
    const wanted = list.filter((address) => (question.type === 'AAAA') === address.includes(':'));
    const reply = encode({
      type: 'response',
      id: query.id ?? 0,
      flags: AUTHORITATIVE_ANSWER | (typeof known !== 'string' || (known === 'bogus' && !isBogus) ? 0 : codes[known]),
      questions: [question],
      answers:
        question.type === 'A' || question.type === 'AAAA'
          ? wanted.map((data) => ({ type: question.type as 'A', name: question.name, ttl: 60, data }))
          : [],
    });
    socket.send(reply, from.port, from.address);
  });
  await new Promise<void>((resolve) => socket.bind(0, '127.0.0.1', resolve));
  return { port: socket.address().port, stop: () => void socket.close() };
}
