/** Class id of the advisory locks that living servers hold, each one its own. */
export const livingServers = 4411;
