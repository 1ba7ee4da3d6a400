/** What groups of one and the same sound are called. */
export const LETTERS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ';
