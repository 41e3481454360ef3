// The desk's cache: a Map in order of use. Nulls are kept; a vessel that is stored anew is dropped.
export class Cache {
  #entries = new Map();
  #most;

  constructor(most) {
    this.#most = most;
  }

  get(name) {
    const held = this.#entries.get(name);
    if (held === undefined) return undefined;
    this.#entries.delete(name);
    this.#entries.set(name, held); // the last of the order: used most recently
    return held;
  }

  set(name, value) {
    if (this.#most === 0) return;
    this.#entries.delete(name);
    if (this.#entries.size >= this.#most) this.#entries.delete(this.#entries.keys().next().value);
    this.#entries.set(name, value);
  }

  drop(name) {
    this.#entries.delete(name);
  }

  get size() {
    return this.#entries.size;
  }
}
