/** A text that PostgreSQL can keep: no NUL, no half of a surrogate pair. */
export const isKeepable = (text: string): boolean => !text.includes('\0') && text.isWellFormed();
