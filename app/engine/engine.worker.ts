import { expose } from 'comlink';
import { holdLife } from './alive';
import { compareApi } from './compare/compare-api';
import { exportApi } from './export/export-api';
import { importApi } from './import/import-api';
import { lightApi } from './light/light-api';
import { meshApi } from './mesh/mesh-api';
import { previewApi } from './preview/preview-api';
import { sculptApi } from './sculpt/sculpt-api';

/** All that the page can ask of the engine, each part in the folder of its service. */
const api = { ...previewApi, ...importApi, ...sculptApi, ...exportApi, ...meshApi, ...compareApi, ...lightApi };

export type EngineApi = typeof api;
expose(api);
holdLife();
