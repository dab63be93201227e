/**
 * One server of a running configuration.
 *
 * @property names that it answers to, in lower case
 * @property listens ports it listens on
 * @property ofAnotherMap Mile Marker wrote it, for another map than this one @property isTwin and that one has the same identity
 * @property defaultOn ports on which it answers whatever no other one does
 */
export interface ServerBlock {
  file: string;
  line: number;
  names: string[];
  listens: number[];
  defaultOn: number[];
  ofAnotherMap: boolean;
  isTwin?: true;
}
