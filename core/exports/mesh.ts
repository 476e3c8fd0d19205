/** Heights to meshes and back, and mesh formats. */

import '../zod-jitless';

export { bakeNormals } from '../mesh/bake';
export { surfaceBy } from '../mesh/choice';
export { type MeshFile, type MeshFormat, type MeshOptions } from '../mesh/formats/format';
export { meshFormatByName, meshFormats, readMesh, readMeshFiles } from '../mesh/formats';
export { axesRefused, writeModel } from '../mesh/formats/write';
export { displacementRatio, gridMesh } from '../mesh/grid';
export { enclosedHoles } from '../mesh/holes';
export { compareMeshToField, type MeshError, heldOn } from '../mesh/measure';
export { type Bounds, boundsOf, faceCount, joined, type Mesh, triangleCount, triangleIndices, vertexCount } from '../mesh/mesh';
export { type Model, modelOf, type ModelOptions } from '../mesh/model';
export { pressMesh, pressOn } from '../mesh/press';
export { simplifiedSurface, switchDistance } from '../mesh/simplify';
export { adaptiveSurface, gridSurface, type MeshSurface } from '../mesh/surface';
