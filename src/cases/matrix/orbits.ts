import { Combinations, type PackedAxisSets } from './combinations.ts';

/** A group of permutations of levels: each gives every level's image. */
export type PermutationGroup = readonly (readonly number[])[];

/** No starter row contains it, under any permutation. */
const NOT_COVERED = -1;

/**
 * Combinations up to a group of permutations of the levels: combinations that permutations map to each other count as one orbit.
 *
 * If a few rows contain one combination of each orbit on any `strength` axes, the images of these rows under the group contain every
 * combination. Two kinds are left out, since separate rows cover them better: combinations of fixed levels only, and of one level only if
 * the group maps these to each other many times.
 */
export class Orbits extends Combinations {
  /** The orbit of each combination, by its code, or that it is left out. */
  readonly #orbitOf: Int32Array;
  /** The combinations of each orbit. */
  readonly #members: readonly (readonly (readonly number[])[])[];

  constructor(axes: number, levels: number, strength: number, group: PermutationGroup) {
    const { orbitOf, members } = buildOrbits(levels, strength, group);
    const all = Array.from({ length: axes }, (_, axis) => axis);
    super(
      all.map(() => levels),
      [{ axes: all, strength }],
      members.length,
    );
    this.#orbitOf = orbitOf;
    this.#members = members;
  }

  override getCombination(index: number): ReturnType<Combinations['getCombination']> {
    const { axes, ways } = this.countAssignments(index);
    return { axes, levels: ways[0] as readonly number[] };
  }

  override countAssignments(index: number): ReturnType<Combinations['countAssignments']> {
    const { axes, code } = this.setAt(index);
    return { axes, ways: this.#members[code] as readonly (readonly number[])[] };
  }

  override count(row: readonly number[], by: 1 | -1): void {
    for (const { width, data } of this.sets) {
      for (let at = 0; at < data.length; at += width) {
        const orbit = this.#orbitOf[encodeCombination(row, data, at + 1, at + width)] as number;
        if (orbit !== NOT_COVERED) this.add((data[at] as number) + orbit, by);
      }
      this.work += data.length / width;
    }
  }

  override countUniquelyCovered(row: readonly number[], limit: number): number {
    let singles = 0;
    for (const { width, data } of this.sets) {
      let at = 0;
      for (; at < data.length && singles <= limit; at += width) {
        const orbit = this.#orbitOf[encodeCombination(row, data, at + 1, at + width)] as number;
        if (orbit !== NOT_COVERED && this.counts[(data[at] as number) + orbit] === 1) singles++;
      }
      this.work += at / width;
    }
    return singles;
  }

  override addGains(row: readonly number[], axis: number, gains: Int32Array): void {
    for (const { width, data } of this.setsOf[axis] as readonly PackedAxisSets[]) {
      record: for (let at = 0; at < data.length; at += width) {
        for (let i = at + 2; i < at + width; i += 2) if ((row[data[i] as number] as number) < 0) continue record;
        const code = encodeCombination(row, data, at + 2, at + width);
        for (let level = 0; level < gains.length; level++) {
          const orbit = this.#orbitOf[code + level * (data[at + 1] as number)] as number;
          if (orbit !== NOT_COVERED && this.counts[(data[at] as number) + orbit] === 0) gains[level] = (gains[level] as number) + 1;
        }
      }
    }
  }

  override coverageLoss(row: readonly number[], axis: number, level: number, maxLoss = Number.POSITIVE_INFINITY): number {
    const { counts } = this;
    const orbitOf = this.#orbitOf;
    const old = row[axis] as number;
    const tooMany = maxLoss + this.uncoveredCount;
    let lost = 0;
    let won = 0;
    for (const { width, data } of this.setsOf[axis] as readonly PackedAxisSets[]) {
      let at = 0;
      for (; at < data.length && lost <= tooMany; at += width) {
        const start = data[at] as number;
        const distance = data[at + 1] as number;
        const code = encodeCombination(row, data, at + 2, at + width);
        const before = orbitOf[code + old * distance] as number;
        const after = orbitOf[code + level * distance] as number;
        if (before === after) continue;
        if (before !== NOT_COVERED && counts[start + before] === 1) lost++;
        if (after !== NOT_COVERED && counts[start + after] === 0) won++;
      }
      this.work += at / width;
    }
    return lost - won;
  }

  override change(row: number[], axis: number, level: number): void {
    const old = row[axis] as number;
    for (const { width, data } of this.setsOf[axis] as readonly PackedAxisSets[]) {
      for (let at = 0; at < data.length; at += width) {
        const start = data[at] as number;
        const distance = data[at + 1] as number;
        const code = encodeCombination(row, data, at + 2, at + width);
        const before = this.#orbitOf[code + old * distance] as number;
        const after = this.#orbitOf[code + level * distance] as number;
        if (before === after) continue;
        if (before !== NOT_COVERED) this.add(start + before, -1);
        if (after !== NOT_COVERED) this.add(start + after, 1);
      }
      this.work += (2 * data.length) / width;
    }
    row[axis] = level;
  }
}

/** The part of a combination's code that some axes contribute: pairs of an axis and the distance of its levels. */
function encodeCombination(row: readonly number[], data: Int32Array, from: number, to: number): number {
  let code = 0;
  for (let i = from; i < to; i += 2) code += (row[data[i] as number] as number) * (data[i + 1] as number);
  return code;
}

function buildOrbits(levels: number, strength: number, group: PermutationGroup): { orbitOf: Int32Array; members: number[][][] } {
  const orbitOf = new Int32Array(levels ** strength).fill(NOT_COVERED);
  const members: number[][][] = [];
  const isFixed = (level: number): boolean => group.every((permutation) => permutation[level] === level);
  const encodeLevels = (combination: readonly number[]): number => combination.reduce((code, level) => code * levels + level, 0);
  for (let code = 0; code < orbitOf.length; code++) {
    if (orbitOf[code] !== NOT_COVERED) continue;
    const combination = Array.from({ length: strength }, (_, i) => Math.floor(code / levels ** (strength - 1 - i)) % levels);
    const isOneLevel = combination.every((level) => level === combination[0]);
    if (combination.every(isFixed) || (isOneLevel && group.length > levels)) continue;
    const orbit: number[][] = [];
    for (const permutation of group) {
      const image = combination.map((level) => permutation[level] as number);
      if (orbitOf[encodeLevels(image)] !== NOT_COVERED) continue;
      orbitOf[encodeLevels(image)] = members.length;
      orbit.push(image);
    }
    members.push(orbit);
  }
  return { orbitOf, members };
}
