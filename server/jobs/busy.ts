/**
 * Counts what is running between two waits. The world stands still while anything here is busy;
 * when all have come to a wait or to their end, it may go on.
 */
export class Busy {
  private count = 0;
  private waiters: (() => void)[] = [];

  enter(n = 1): void {
    this.count += n;
  }

  leave(): void {
    this.count--;
    if (this.count > 0) return;
    const waiters = this.waiters;
    this.waiters = [];
    for (const wake of waiters) wake();
  }

  async quiet(): Promise<void> {
    // Looked at again after waking: a waiter before us may have set something going.
    while (this.count > 0) await new Promise<void>((done) => this.waiters.push(done));
  }
}
