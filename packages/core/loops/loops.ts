/**
 * The loops in which amp chains and reading between values spend their time, in AssemblyScript: compiled to WebAssembly they work on two values at
 * once. Each value is summed in the order in which a plain loop would sum it where that is said, so that the bits are those of one.
 *
 * All addresses are in bytes; where nothing else is said, they are of 64-bit values. Nothing here keeps anything: what has to be known from one call to the
 * next lies where the caller says.
 */
export { downsample, upsample } from './half-band';
export { meanOfArc, meanOfCut, twoBefore } from './curve';
export { filterPair, squash } from './followers';
export { readLine, readStraight } from './reading';
