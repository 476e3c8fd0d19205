import { courseWithSeeds, type AssetReading, type Compared, type Comparison, type Course, type MisreadSettings, type StepUse } from '@upland-cast/core';
import type { SideSource } from '../engine/api';
import { engine } from '../engine/client';
import { keepAsset, loadAsset } from '../storage/assets';
import { db } from '../storage/db';
import { marksOf } from './keeping';
import { amend } from './history';
import { say, useTerrain } from './state';

const { getState: get } = useTerrain;

/** What is compared where nothing was chosen yet: the ground now with what the last step found. */
export function comparisonOf(course: Course): Comparison {
  if (course.comparison) return course.comparison;
  const before = course.stem.filter((use) => use.on).at(-2);
  return { name: '', a: before ? { kind: 'step', id: before.id } : { kind: 'now' }, b: { kind: 'now' }, laid: 'usual' };
}

export function setComparison(part: Partial<Comparison>): void {
  amend((course) => {
    course.comparison = { ...comparisonOf(course), ...part };
  });
}

export const exchangeSides = (): void => {
  const { course } = get();
  if (!course) return;
  const { a, b } = comparisonOf(course);
  setComparison({ a: b, b: a });
};

/** Goes to the Compare room with two sides. */
export function compareWith(a: Compared, b: Compared = { kind: 'now' }): void {
  setComparison({ a, b, laid: 'usual' });
  location.hash = '#compare';
}

/** The step whose ground a step finds: the last one that is on before it in its line. */
export function stepBefore(course: Course, id: string): StepUse | undefined {
  const line = [course.stem, ...course.tributaries.map(({ steps }) => steps)].find((steps) => steps.some((use) => use.id === id)) ?? [];
  return line
    .slice(
      0,
      line.findIndex((use) => use.id === id),
    )
    .filter((use) => use.on)
    .at(-1);
}

/** Compares a step with what it found; the first of a line found level ground, and is compared with nothing. */
export function compareStep(id: string): void {
  const before = stepBefore(get().course!, id);
  if (before) compareWith({ kind: 'step', id: before.id }, { kind: 'step', id });
}

const MESH = /\.(obj|ply|stl|glb|gltf)$/i;

/** Whether files are a mesh, or heights, which go through the reading sheet. */
export const areMesh = (chosen: readonly File[]): boolean => chosen.some(({ name }) => MESH.test(name));

/** A mesh in one file or in parts, as a side. */
export async function takeSideMesh(side: 'a' | 'b', chosen: readonly File[]): Promise<void> {
  const mesh: { name: string; sha: string }[] = [];
  for (const file of chosen) mesh.push({ name: file.name.slice(0, 300), sha: await keepAsset(new Uint8Array(await file.arrayBuffer())) });
  const first = mesh.find((file) => MESH.test(file.name)) ?? mesh[0];
  setComparison({ [side]: { kind: 'file', name: first.name + (mesh.length > 1 ? ` and ${mesh.length - 1} more` : ''), mesh } });
}

/** Heights as a side: an asset that was kept, as it was settled how it is read. */
export function takeSideHeights(side: 'a' | 'b', name: string, sha: string, reading: AssetReading = {}, steps: StepUse[] = []): void {
  setComparison({ [side]: { kind: 'file', name: name.slice(0, 300), sha, reading, steps } });
}

/** Goes to the Compare room with a file that was written or changed beside the ground now, or beside another one. */
export async function compareFile(file: File, reading: AssetReading = {}, beside: Compared = { kind: 'now' }): Promise<void> {
  if (areMesh([file])) await takeSideMesh('b', [file]);
  else {
    const kept = await engine().takeIn(new Uint8Array(await file.arrayBuffer()), reading);
    if (!kept.ok) return say(kept.sentence);
    takeSideHeights('b', file.name, kept.value.sha, reading);
  }
  setComparison({ a: beside, laid: 'usual' });
  location.hash = '#compare';
}

/** Compares the ground with the heights that were handed on last, as they arrive; a mesh, or a delivery in pieces, by its file. */
export async function compareHanded(told: MisreadSettings, file?: File): Promise<void> {
  if (file && areMesh([file])) return compareFile(file);
  const arrived = await engine().arrivedFile(told);
  if (arrived.ok) return compareFile(new File([arrived.value.bytes], arrived.value.name));
  if (file) return compareFile(file);
  say(arrived.sentence);
}

/** A file as a step reads it, now or before. */
export interface AssetState {
  sha: string;
  name: string;
  reading?: AssetReading;
}

/** Compares two states of a file that a step reads. */
export function compareAssets(before: AssetState, after: AssetState): void {
  const side = ({ sha, name, reading }: AssetState): Compared => ({ kind: 'file', name, sha, reading: reading ?? {}, steps: [] });
  compareWith(side(before), side(after));
}

export function keepComparison(name: string): void {
  amend((course) => {
    course.comparisons = [...course.comparisons.filter((one) => one.name !== name), { ...comparisonOf(course), name }].slice(-100);
  });
}

export const removeComparison = (name: string): void => amend((course) => void (course.comparisons = course.comparisons.filter((one) => one.name !== name)));

/** Where a side's ground comes from; a sentence where it is not there any more. */
export async function sourceOf(side: Compared, course: Course, terrain: string): Promise<SideSource | string> {
  switch (side.kind) {
    case 'now':
      return { kind: 'course', course };
    case 'step':
      return { kind: 'step', course, id: side.id };
    case 'tributary': {
      const last = course.tributaries
        .find(({ id }) => id === side.id)
        ?.steps.filter((use) => use.on)
        .at(-1);
      return last ? { kind: 'step', course, id: last.id } : 'That tributary is not there any more, or has no step.';
    }
    case 'roll': {
      const roll = course.wholeRolls.find(({ number }) => number === side.number);
      return roll ? { kind: 'course', course: courseWithSeeds(course, roll.seeds) } : 'That roll is not kept any more.';
    }
    case 'mark': {
      const mark = (await marksOf(terrain)).find(({ id }) => id === side.id);
      return mark ? { kind: 'course', course: mark.course } : 'That mark is not there any more.';
    }
    case 'save': {
      const save = await db.saves
        .where('terrain')
        .equals(terrain)
        .filter(({ at }) => at === side.at)
        .first();
      return save ? { kind: 'course', course: save.course } : 'That save is not kept any more.';
    }
    case 'terrain': {
      const row = await db.terrains.get(side.id);
      return row ? { kind: 'course', course: row.course } : 'That terrain is not in this browser any more.';
    }
    case 'file':
      return sourceOfFile(side);
  }
}

type FileSide = Extract<Compared, { kind: 'file' }>;

async function sourceOfFile({ name, sha, mesh, reading = {}, steps = [], scale = 1, lift = 0 }: FileSide): Promise<SideSource | string> {
  try {
    if (mesh) {
      const files = await Promise.all(mesh.map(async (file) => ({ name: file.name, bytes: await loadAsset(file.sha) })));
      return { kind: 'mesh', files, scale, lift };
    }
    if (sha) return { kind: 'file', name, bytes: await loadAsset(sha), reading, steps, scale, lift };
  } catch {
    // Said below.
  }
  return `The file ${name} is not in this browser any more: choose it again.`;
}
