import type { components } from './schema'

type Schemas = components['schemas']

export type Shot = Schemas['ShotOut']
export type ShotName = Schemas['ShotName']
export type RenderPass = Schemas['RenderPass']
/** What a request about a variant answers; `reading` is null where an edit left the interpretation unchanged. */
export type VariantAnswer = Schemas['VariantOut']
export type Reading = NonNullable<VariantAnswer['reading']>
export type VariantState = Omit<VariantAnswer, 'reading'> & { reading: Reading }
export type Variant = VariantState['document']
export type Curve = NonNullable<Variant['curves']>[string]
export type MatchOut = Schemas['MatchOut']
export type WishIn = Required<Schemas['WishIn']>
export type Mood = Schemas['Mood']
export type BalanceReport = Schemas['BalanceReport']
export type BalancePreset = Schemas['BalancePresetOut']
export type PresetPlan = Schemas['PresetPlan']
export type Lane = Schemas['Lane']
export type MovableField = Schemas['MovableField']
export type Level = Required<Schemas['Level']>
export type Board = Schemas['Board']
export type BoardCell = Schemas['BoardCell']
export type Tally = Schemas['Tally']
export type TallyTerm = Tally['lines'][number]
export type Finding = NonNullable<Tally['verdict']>['causes'][number]
export type TermEdit = Required<Schemas['TermEdit']>
export type PassReading = Schemas['PassReading']
export type Histogram = Schemas['HistogramOut']
export type StopColour = Schemas['StopColour']
export type Revision = Schemas['RevisionOut']
export type Aids = Required<Schemas['Aids']>
export type Probe = Schemas['Probe']
export type Job = Schemas['JobOut']
export type MediaEntry = Schemas['MediaEntry']
export type ColourOffer = Schemas['ColourOut']
export type Recolour = Required<Schemas['Recolour']>
export type Repaint = Schemas['Repaint']
export type Label = Schemas['Label']
export type SurfaceChange = NonNullable<NonNullable<Variant['surface']>['changes']>[number]
export type Matte = NonNullable<Variant['mattes']>[string]
export type Shelf = Schemas['Shelf']
export type ShelfMatte = Schemas['ShelfMatte']
export type ObjectHit = Schemas['ObjectHit']
export type ObjectLayer = Schemas['ObjectLayer']
export type Removal = Schemas['Removal']
export type Preset = Schemas['PresetOut']
export type ConfigMade = Schemas['ConfigOut']
export type ColourWarning = Schemas['ColourWarning']
export type Cdl = Required<Schemas['CdlCorrection']>
export type Correction = NonNullable<NonNullable<Variant['finish']>['corrections']>[number]
export type Denoise = Required<Schemas['Denoise']>
export type Depth = Required<Schemas['Depth']>
export type DepthReading = Required<Schemas['DepthReading']>
export type Haze = Required<Schemas['Haze']>
export type Defocus = Required<Schemas['Defocus']>
export type Motion = Required<Schemas['Motion']>
export type Survey = Schemas['Survey']
export type DepthPlace = Schemas['DepthPlace']
export type Lens = Required<Schemas['Lens']>
export type CdlFile = Schemas['CdlOut']
export type Triple = [number, number, number]
export type CheckResult = Schemas['CheckOut']
export type PlateFacts = Schemas['PlateFacts']
export type LayerFacts = Schemas['LayerFacts']
export type ClipEntry = Schemas['ClipEntry']
export type Layer = NonNullable<NonNullable<Variant['plate']>['layers']>[number]
export type PictureLayer = Schemas['PictureLayer']
export type RenderLayer = Schemas['RenderLayer']
export type Region = Schemas['Region']
export type Note = Schemas['NoteOut']
export type NoteList = Schemas['NoteList']
export type Share = Schemas['ShareOut']
export type SharedShot = Schemas['SharedOut']
export type NewDelivery = Schemas['NewDelivery']
export type DeliveryFile = Schemas['DeliveryFile']
export type DeliveryPreset = Schemas['DeliveryPresetOut']
export type DeliveryCheck = Schemas['DeliveryCheck']
export type Delivery = Schemas['DeliveryOut']

export type StationName =
  'source' | 'surface' | 'balance' | 'beauty' | 'depth' | 'plate' | 'lens' | 'finish' | 'display'

export interface PatchStep {
  op: 'add' | 'replace' | 'remove'
  path: string
  value?: unknown
}

/** An edit that is not saved yet: steps, and the revision that they are applied to; null: the newest. */
export interface Draft {
  base: number | null
  patch: PatchStep[]
}
