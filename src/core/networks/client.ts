/**
 * Who a request comes from. Where nobody can say, there is no address that a network could hold: such a visitor is in none, whatever the
 * connection that brought him.
 *
 * @property address in comparable form (what it is when it is no address at all stays as it is)
 * @property by address of the edge that did not say who the visitor is
 */
export type Client = { known: true; address: string } | { known: false; by: string };
