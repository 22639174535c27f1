import dayjs from 'dayjs';

/** A moment in full, for what is printed or kept. */
export const momentText = (at: string): string => dayjs(at).format('D MMM YYYY, HH:mm:ss');
