/** The clock of a stand-in: the real one, unless it is set to another time; from there it goes on. */
export class Clock {
  private aheadMs = 0;

  now = (): Date => new Date(Date.now() + this.aheadMs);

  /** Sets it; null: to the real time. */
  set(at: string | null): void {
    this.aheadMs = at === null ? 0 : Date.parse(at) - Date.now();
  }
}
