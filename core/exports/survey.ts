/** The made-up survey that extracts come from. */

import '../zod-jitless';

export { countryWindow, extract, type Frame } from '../survey/extract';
export { borders, COUNTRY, countryGround, MOST_SURVEYED, places, roads, SURVEY_SPACINGS } from '../survey/velmarch';
