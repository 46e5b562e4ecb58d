// Random choices that a seed says all of.

/// Marsaglia's xorshift of 32 bits (J. Stat. Softw. 8(14), 2003), so that a seed says all.
export function generator(start) {
  let state = (Number(start) * 2654435761 + 1) >>> 0 || 1;
  return () => {
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    return (state >>> 0) / 4294967296;
  };
}

/// Choices by such a generator.
export class Choice {
  constructor(random) {
    this.random = random;
  }
  between(low, high) {
    return low + (high - low) * this.random();
  }
  whole(low, high) {
    return Math.floor(this.between(low, high + 1));
  }
  one(list) {
    return list[this.whole(0, list.length - 1)];
  }
  maybe(share, text) {
    return this.random() < share ? text() : '';
  }
}
