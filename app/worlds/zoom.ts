/** How often a world is halved until it fits into one picture of 256 samples: the zoom at which a pixel is a sample. */
export const zoomsOf = ({ across, down }: { across: number; down: number }): number => Math.max(0, Math.ceil(Math.log2(Math.max(across, down) / 256)));
