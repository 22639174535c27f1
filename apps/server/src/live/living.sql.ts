/** Class id of the advisory locks that living servers hold, each one its own. */
export const livingServers = 4411;

/** A server is dead when nobody holds the advisory lock of its key. */
export const runnerIsDead = `runner NOT IN (SELECT objid::int FROM pg_locks WHERE locktype = 'advisory' AND classid = ${livingServers} AND granted)`;
