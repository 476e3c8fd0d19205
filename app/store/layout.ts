import { create } from 'zustand';
import { z } from 'zod';

const layoutSchema = z.object({
  /** What is shown beside the ground in Work. */
  elevation: z.boolean().catch(true),
  settings: z.boolean().catch(true),
  course: z.boolean().catch(true),
  /** Pixels that the course is high; null: as high as its lines are. */
  strip: z.number().min(60).max(2000).nullable().catch(null),
});
type Layout = z.infer<typeof layoutSchema>;
export type Panel = 'elevation' | 'settings' | 'course';

const STORED = 'upland-cast:layout';

function stored(): Layout {
  try {
    return layoutSchema.parse(JSON.parse(localStorage.getItem(STORED) ?? '{}'));
  } catch {
    return layoutSchema.parse({});
  }
}

/** How the rooms are laid out in this browser; that the view fills the window is for the visit. */
export const useLayout = create<Layout & { filled: boolean }>(() => ({ ...stored(), filled: false }));

export function setLayout(part: Partial<Layout>): void {
  useLayout.setState(part);
  try {
    localStorage.setItem(STORED, JSON.stringify(layoutSchema.parse(useLayout.getState())));
  } catch {
    // A browser that keeps nothing has it for as long as the page lives.
  }
}

export const fillWindow = (filled = !useLayout.getState().filled) => useLayout.setState({ filled });
