/** A port as RFC 6335 §6 numbers them, in decimal without leading zeros: what every server takes for the same. For patterns of PCRE and of this program. */
export const portNumber = '(?:[1-9][0-9]{0,3}|[1-5][0-9]{4}|6[0-4][0-9]{3}|65[0-4][0-9]{2}|655[0-2][0-9]|6553[0-5])';
