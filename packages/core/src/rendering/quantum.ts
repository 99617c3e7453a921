/** The renderer's own step, on the song's grid, whatever block the host asks for. */
export const quantumFrames = 128;
