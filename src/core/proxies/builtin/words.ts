/** First words of every error that the builtin proxy answers by itself. */
export const frontWords = 'Mile Marker front:';
