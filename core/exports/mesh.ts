/** Heights to meshes and back, and mesh formats. */

import '../zod-jitless';

export { bakeNormals } from '../mesh/model/bake';
export { type MeshFile, type MeshFormat, type MeshOptions } from '../mesh/formats/types';
export { meshFormatByName, meshFormats, readMesh, readMeshFiles } from '../mesh/formats';
export { axesRefused, writeModel } from '../mesh/formats/write';
export { displacementRatio, gridMesh } from '../mesh/surface/grid';
export { enclosedHoles } from '../mesh/raster/holes';
export { compareMeshToField, type MeshError, compareMeshToFieldOnKernels } from '../mesh/raster/measure';
export { type Bounds, boundsOf, faceCount, mergeMeshes, type Mesh, triangleCount, triangleIndices, vertexCount } from '../mesh/mesh';
export { type Model, modelOf, type ModelOptions } from '../mesh/model/model';
export { rasterizeMesh, rasterizeMeshOnKernels } from '../mesh/raster/rasterize';
export { simplifiedSurface, switchDistance } from '../mesh/surface/simplify';
export { adaptiveSurface, gridSurface, type MeshSurface } from '../mesh/surface/surface';
export { changeMeshSettings, meshFormatOf, meshSettings, meshSettingsFor, type MeshSettings, ownSegments } from '../mesh/settings';
export { exportMesh, type ExportedLevel, memoryOfMesh, modelError, modelOptionsOf, squareSegments, surfaceOf } from '../mesh/export';
export { describeParts, partsOfMesh, type MeshPart, type PartFinding, type PartsReport } from '../mesh/parts';
export { deepestLevel, firstPatch, PATCH_QUADS, patchErrors } from '../mesh/surface/patch-errors';
