import type { ComponentType } from 'react';
import type { Room } from '../../store/state';
import { CompareRoom } from '../compare/CompareRoom';
import { ExportRoom } from '../export/ExportRoom';
import { MeshRoom } from '../mesh/MeshRoom';
import { WorkRoom } from '../work/WorkRoom';

export interface RoomEntry {
  /** The address's hash. */
  id: Room;
  /** On its tab. */
  title: string;
  /** The trade's other words for what is done in it. */
  finds: readonly string[];
  /** How a fault in it is spoken of. */
  part: string;
  component: ComponentType<{ shown: boolean }>;
  /** Its state and its view live on while another room is shown. */
  stays?: boolean;
}

/** Every room of the working page, in the order of their tabs; the first is where the page begins. */
export const rooms: readonly RoomEntry[] = [
  { id: 'work', title: 'Work', finds: ['edit', 'sculpt', 'course', 'view'], part: 'The Work room', component: WorkRoom, stays: true },
  { id: 'compare', title: 'Compare', finds: ['difference', 'diff', 'before after', 'check'], part: 'The Compare room', component: CompareRoom },
  {
    id: 'mesh',
    title: 'Mesh',
    finds: ['geometry', 'displacement', 'polygons', 'triangles', 'obj', 'gltf', 'bake'],
    part: 'The Mesh room',
    component: MeshRoom,
  },
  { id: 'hand-off', title: 'Export', finds: ['hand off', 'write', 'save as', 'heightmap', 'deliver', 'maps'], part: 'The Export room', component: ExportRoom },
];

/** The room that an address's hash names; the first where it names none. */
export const roomOfHash = (hash: string): Room => (rooms.find(({ id }) => `#${id}` === hash) ?? rooms[0]).id;
