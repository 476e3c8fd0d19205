export { publishedNoise } from './lattice';
export { noiseRoom, noiseRows } from './noise';
export { displaceRows, placeRows } from './sample';
export { filterColumns, filterRows, filterRowsEven, steepnessRows } from './filters';
export { medianWindows, quantise } from './median';
export { medianRows3, medianRows5, medianRows7 } from './generated/median-networks';
export { brushWeights, brushMeanRows, brushMeanColumns, brushNoise, brushAdd, brushAny, brushTowards } from './brush';
export { talusHeight, talusHold, talusRelease, talusSettle, talusShed } from './talus';
export { talusFaces, talusReleaseFaces, talusSettleFaces } from './talus-faces';
export { runoffCarry, runoffDrive, runoffLimit, runoffMove } from './runoff';
export { windApply, windLift, windShadow, windSlip } from './wind';
export { distinctLots, distinctNew } from './distinct';
export { distanceColumns, distanceRows } from './distance';
export { deflatePart, deflateRoom } from './deflate';
export { filterRow, highFirst, unfilterRow } from './png';
export { adler32, crc32, crcTables } from './checksums';
export { gatherSums, horizonLines, turnOver } from './horizon';
export { unstepRows } from './unstep';
export { pressFaces, pressLargest, pressPlace, pressSamples } from './press';
export { greedyBegin, greedyPut, greedyGrow, greedyError, greedyPoints } from './greedy';
export { floodBegin, floodSome, sortBegin, sortEnd, sortPass, sortPlaces } from './flood';
export { countDonors, gatherPart, gatherRest, receiveByFacet, receiveSteepest, stateRows } from './flow';
export { breachHollows } from './breach';
export { fillHollows, hollows, hollowsBegin } from './hollows';
export { pullRows, wearDown, breach, fanUp, settleBelow, hillslopeFaces, hillslopeRows, hillslopeColumns, beginFiner, fanFaces, clearReached, standInSea, narrowDiagonals } from './fluvial';
export { iceBalance, iceDepth, iceOver, fillFloats, iceFaces, iceTake, iceWear, iceFiner } from './ice';
export { resampleAdd, resampleAlong, resampleOut } from './resample';
export { passAlong, passDown, passTable, smoothAlong, smoothDown } from './ladder';
export { differences, dropUnder, onlyLaid, putOn, takeOff, wholeShares } from './grids';
export { rockRows, structureRows } from './rock';
export { measureCodes, putCodes } from './codes';
export { joinFloats } from './join';
export { boundWeightsOf, clampOf, curveOf, gainOf, levelsOf, slopeWeightsOf, terraceOf } from './remap';
export { faceLines, meshLines, normalLines, placeLines, textureLines } from './text';
export { boundsOfFloats, boundsOfPlaces, outstanding, sameFloats, scanFloats } from './scan';
export { hillshadeRows, normalRows, slopeRows } from './surface';
export { doubleRow, middleRow } from './filters';
export { patchRows } from './patches';
export { sweepFront } from './eikonal';
export { sin, cos, tan, atan, atan2, exp, log, pow } from './math';

/** The first free byte of the memory: everything above it belongs to the caller. */
export function heapBase(): usize {
  return __heap_base;
}
