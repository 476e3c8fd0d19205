/** What was worked out last, by what it was made from: the last few are kept, and nobody writes to them. */
export class Recent<T> {
  private readonly entries: { key: string; value: T }[] = [];

  /** `most` of them; what is not `worth` keeping is made anew. */
  constructor(
    private readonly most: number,
    private readonly worth: (value: T) => boolean = () => true,
  ) {}

  async of(key: string, make: () => Promise<T>): Promise<T> {
    const known = this.entries.findIndex((entry) => entry.key === key);
    const [entry] = known < 0 ? [] : this.entries.splice(known, 1);
    const value = entry ? entry.value : await make();
    // Another may have asked for the same meanwhile.
    const since = this.entries.findIndex((one) => one.key === key);
    if (since >= 0) this.entries.splice(since, 1);
    if (this.worth(value)) this.entries.push({ key, value });
    if (this.entries.length > this.most) this.entries.shift();
    return value;
  }
}
