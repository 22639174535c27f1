/**
 * In a statement: the commit of its transaction does not wait for the disk. For what is found out again when it is lost with
 * PostgreSQL: what the mirror saw, a lease, a step that looks first whether it was done.
 */
export const relaxed = `set_config('synchronous_commit', 'off', true)`;
