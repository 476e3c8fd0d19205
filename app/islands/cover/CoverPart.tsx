import { ArrowUp, Trash2 } from 'lucide-react';
import { useEffect, useState } from 'react';
import { defaultCover, grainOfLayer, GRAINS, maskKinds, maskUse, RAMPS, type Course, type Cover, type CoverLayer } from '@upland-cast/core';
import { Button, NumberField, Row, Select, ShareRow, SliderRow, TextField } from '../../components/controls';
import { Part } from '../../components/Facts';
import { loadAsset } from '../../storage/assets';
import { endGesture } from '../../store/history';
import { useTerrain } from '../../store/state';
import { addLayer, layerPicture, setCover, setLayer, setLayerMask } from '../../store/cover';
import { MaskCard } from '../work/settings/MaskCard';
import settings from '../work/settings/Settings.module.css';
import css from './CoverPart.module.css';

type Colour = [number, number, number];
const hex = (colour: Colour) => `#${colour.map((c) => c.toString(16).padStart(2, '0')).join('')}`;
const fromHex = (text: string): Colour => [1, 3, 5].map((at) => parseInt(text.slice(at, at + 2), 16)) as Colour;

/** Kinds of masks that mean something at the end of a course. */
const RULES = maskKinds.filter((kind) => kind.id !== 'painted');

/** What the ground is covered with: the ramp beneath, and layers by rules; for its colour and its material weights. */
export function CoverPart({ course }: { course: Course }) {
  const readOnly = useTerrain((s) => s.readOnly);
  const cover = course.cover ?? defaultCover();
  return (
    <Part title="Ground colour and materials">
      <Ramp cover={cover} readOnly={readOnly} />
      {cover.layers.map((layer, i) => (
        <Layer key={layer.id} course={course} layer={layer} first={i === 0} readOnly={readOnly} />
      ))}
      <div className={css.inRow}>
        <Button disabled={readOnly || cover.layers.length > 6} onClick={addLayer}>
          Another layer over it
        </Button>
        {course.cover && (
          <Button look="quiet" disabled={readOnly} onClick={() => setCover('The usual cover', (c) => void Object.assign(c, defaultCover()))}>
            As it was at first
          </Button>
        )}
      </div>
      <p className={css.note}>{cover.layers.length + 1} parts: as many channels of material weights.</p>
    </Part>
  );
}

interface RampProps {
  cover: Cover;
  readOnly: boolean;
}

/** What lies beneath all layers: colours over height or relief. */
function Ramp({ cover, readOnly }: RampProps) {
  return (
    <>
      <Row label="Ramp follows" help="Height alone looks like a gradient; relief follows peaks and hollows wherever they lie.">
        <Select label="Ramp follows" value={cover.ramp} choices={RAMPS} onChange={(ramp) => setCover('Ramp follows', (c) => void (c.ramp = ramp))} />
      </Row>
      {cover.ramp === 'relief' && (
        <SliderRow
          label="Radius"
          value={cover.reach}
          unit="m"
          min={10}
          max={5_000}
          logarithmic
          disabled={readOnly}
          onChange={(reach) => setCover('Set reach', (c) => void (c.reach = reach), 'cover:reach')}
          onDone={endGesture}
        />
      )}
      <Row label="From near" help="What the ramp is like near the eye. In the view’s light only: no map has it.">
        <Select
          label="The ramp from near"
          value={cover.grain ?? 'turf'}
          choices={GRAINS}
          onChange={(grain) => setCover('Grain of the ramp', (c) => void (c.grain = grain))}
        />
      </Row>
      <Stops cover={cover} readOnly={readOnly} />
    </>
  );
}

function Stops({ cover, readOnly }: RampProps) {
  return (
    <div className={css.stops} aria-label="Colours of the ramp">
      {cover.stops.map((stop, i) => (
        <span key={i}>
          <input
            type="color"
            aria-label={`Colour ${i + 1} of the ramp`}
            value={hex(stop.colour)}
            disabled={readOnly}
            onChange={(event) => setCover('Colour of the ramp', (c) => void (c.stops[i].colour = fromHex(event.target.value)), `cover:stop${i}`)}
          />
          <NumberField
            label={`Place of colour ${i + 1}`}
            unit="%"
            show={100}
            value={stop.at}
            min={0}
            max={1}
            step={0.01}
            onChange={(at) => setCover('Place of a colour', (c) => void (c.stops[i].at = at))}
          />
          <Button
            look="quiet"
            square
            aria-label={`Take colour ${i + 1} away`}
            disabled={readOnly || cover.stops.length < 2}
            onClick={() => setCover('Take a colour away', (c) => void c.stops.splice(i, 1))}
          >
            <Trash2 size={12} />
          </Button>
        </span>
      ))}
      <Button
        look="quiet"
        disabled={readOnly || cover.stops.length > 15}
        onClick={() => setCover('Add a colour', (c) => void c.stops.push({ at: 1, colour: [...c.stops[c.stops.length - 1].colour] as Colour }))}
      >
        Another colour
      </Button>
    </div>
  );
}

/** How wide a picture is, texels; null while that is not known. */
function useTexels(sha: string): number | null {
  const [across, setAcross] = useState<number | null>(null);
  useEffect(() => {
    let stale = false;
    setAcross(null);
    if (sha)
      void loadAsset(sha)
        .then((bytes) => createImageBitmap(new Blob([bytes])))
        .then(
          (bitmap) => !stale && setAcross(bitmap.width),
          () => undefined,
        );
    return () => {
      stale = true;
    };
  }, [sha]);
  return across;
}

function Layer({ course, layer, first, readOnly }: { course: Course; layer: CoverLayer; first: boolean; readOnly: boolean }) {
  return (
    <details className={css.layer}>
      <summary>
        <i style={{ background: hex(layer.colour) }} />
        {layer.name}
      </summary>
      <Row label="Name">
        <TextField
          label="Name of the layer"
          value={layer.name}
          disabled={readOnly}
          onChange={(name) => name && setLayer(layer.id, 'Name a layer', (l) => void (l.name = name.slice(0, 80)))}
        />
      </Row>
      <LayerColour {...{ layer, first, readOnly }} />
      <LayerPicture {...{ course, layer, readOnly }} />
      <Row label="From near" help="What it is like near the eye. In the view’s light only: no map has it.">
        <Select
          label={`${layer.name} from near`}
          value={grainOfLayer(layer)}
          choices={GRAINS}
          onChange={(grain) => setLayer(layer.id, 'Grain of a layer', (l) => void (l.grain = grain))}
        />
      </Row>
      <ShareRow
        label="Strength"
        value={layer.strength}
        disabled={readOnly}
        onChange={(strength) => setLayer(layer.id, 'Strength of a layer', (l) => void (l.strength = strength), `${layer.id}:strength`)}
        onDone={endGesture}
      />
      <LayerRules {...{ layer, readOnly }} />
    </details>
  );
}

interface LayerProps {
  layer: CoverLayer;
  readOnly: boolean;
}

/** A layer's colour, and its place among the others. */
function LayerColour({ layer, first, readOnly }: LayerProps & { first: boolean }) {
  return (
    <Row label="Colour">
      <div className={css.inRow}>
        <input
          type="color"
          aria-label={`Colour of ${layer.name}`}
          value={hex(layer.colour)}
          disabled={readOnly}
          onChange={(event) => setLayer(layer.id, 'Colour of a layer', (l) => void (l.colour = fromHex(event.target.value)), `${layer.id}:colour`)}
        />
        <Button
          look="quiet"
          square
          aria-label="Further down"
          title="Move it under the layer before"
          disabled={readOnly || first}
          onClick={() => setCover('Move a layer', (c) => moveDown(c.layers, layer.id))}
        >
          <ArrowUp size={12} />
        </Button>
        <Button
          look="quiet"
          square
          aria-label={`Take ${layer.name} away`}
          disabled={readOnly}
          onClick={() => setCover('Take a layer away', (c) => void (c.layers = c.layers.filter((l) => l.id !== layer.id)))}
        >
          <Trash2 size={12} />
        </Button>
      </div>
    </Row>
  );
}

/** A picture that repeats in place of a layer's colour, and how much it covers. */
function LayerPicture({ course, layer, readOnly }: LayerProps & { course: Course }) {
  const picture = layer.picture ? course.assets[layer.picture] : undefined;
  const texels = useTexels(layer.picture);
  return (
    <>
      <Row label="Picture" help="A picture of your own that repeats, instead of the colour.">
        {picture ? (
          <Button look="quiet" disabled={readOnly} onClick={() => setLayer(layer.id, 'Without a picture', (l) => void (l.picture = ''))}>
            {picture.name}: leave it out
          </Button>
        ) : (
          <input
            type="file"
            accept="image/*"
            aria-label={`Picture of ${layer.name}`}
            disabled={readOnly}
            onChange={(event) => event.target.files?.[0] && void layerPicture(layer.id, event.target.files[0])}
          />
        )}
      </Row>
      {picture && (
        <Row
          label="It covers"
          help={
            texels
              ? `From one side to the other; ${Number((layer.pictureSize / texels).toPrecision(3))} m a texel.`
              : 'Metres from one side of the picture to the other.'
          }
        >
          <NumberField
            label={`Metres that the picture of ${layer.name} covers`}
            unit="m"
            value={layer.pictureSize}
            min={0.01}
            max={100_000}
            step={0.1}
            onChange={(size) => setLayer(layer.id, 'Size of a picture', (l) => void (l.pictureSize = size))}
          />
        </Row>
      )}
    </>
  );
}

/** Where a layer lies. */
function LayerRules({ layer, readOnly }: LayerProps) {
  return (
    <>
      {layer.where.masks.map((mask) => (
        <MaskCard
          key={mask.id}
          mask={mask}
          readOnly={readOnly}
          change={(label, recipe, gesture) => setLayerMask(layer.id, mask.id, label, recipe, gesture)}
          remove={() => setLayer(layer.id, 'Remove a rule', (l) => void (l.where.masks = l.where.masks.filter((m) => m.id !== mask.id)))}
          newTributary={() => undefined}
        />
      ))}
      <select
        className={settings.addMask}
        aria-label={`Add a rule to ${layer.name}`}
        value=""
        disabled={readOnly}
        onChange={(event) => event.target.value && setLayer(layer.id, 'Add a rule', (l) => void l.where.masks.push(maskUse(event.target.value)))}
      >
        <option value="">Add a rule …</option>
        {RULES.map((kind) => (
          <option key={kind.id} value={kind.id}>
            {kind.title}: {kind.summary}
          </option>
        ))}
      </select>
    </>
  );
}

function moveDown(layers: CoverLayer[], id: string): void {
  const at = layers.findIndex((l) => l.id === id);
  if (at > 0) [layers[at - 1], layers[at]] = [layers[at], layers[at - 1]];
}
