import { sentenceOf } from '@upland-cast/core';
import { Button } from '../../components/controls';
import { download, fileNameOf } from '../../components/download';
import { db } from '../../storage/db';
import { giveOut } from '../../storage/terrains';
import { say, useTerrain } from '../../store/state';

/** Gives the terrain that is open out as a project file, as it is in memory. */
export async function saveProject(): Promise<void> {
  const { id, course } = useTerrain.getState();
  if (!id || !course) return;
  try {
    const row = await db.terrains.get(id).catch(() => undefined);
    download(fileNameOf(course.name, '.uplandcast'), await giveOut(id, course, row?.picture), 'application/zip');
  } catch (error) {
    say(sentenceOf(error));
  }
}

export const SaveProject = ({ main = false }: { main?: boolean }) => (
  <Button look={main ? 'main' : undefined} onClick={() => void saveProject()}>
    Save the project file
  </Button>
);
