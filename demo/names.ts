import seedrandom from 'seedrandom';

/** A deterministic source of choices: the same seed gives the same data every time. */
export class Chance {
  readonly #next: () => number;

  constructor(seed: string) {
    this.#next = seedrandom(seed);
  }

  /** A whole number from `least` to `most`, both included. */
  whole(least: number, most: number): number {
    return least + Math.floor(this.#next() * (most - least + 1));
  }

  /** One of the items. */
  pick<T>(items: readonly T[]): T {
    return items[this.whole(0, items.length - 1)] as T;
  }

  /** A date between two days, as ISO 8601. */
  date(from: string, to: string): string {
    const [first, last] = [Date.parse(from), Date.parse(to)];
    const day = 86_400_000;
    const days = this.whole(0, Math.round((last - first) / day));
    return new Date(first + days * day).toISOString().slice(0, 10);
  }
}

export const regions = [
  'North Marches',
  'South Fells',
  'Corran Vale',
  'East Harrow',
  'Lowmoor',
  'Skerry Coast',
  'Greywater',
  'Tarn Hollows',
];

/** Towns that the examples name, with their regions. */
export const namedTowns: [town: string, region: string][] = [
  ['Velden', 'North Marches'],
  ['Oakhurst', 'South Fells'],
];

export const townBeginnings = [
  'Ald',
  'Bram',
  'Cors',
  'Dun',
  'Elder',
  'Fen',
  'Gorse',
  'Hal',
  'Ivel',
  'Kest',
  'Lark',
  'Mor',
  'Nether',
  'Ot',
  'Pell',
  'Quarr',
  'Rush',
  'Stan',
  'Thorn',
  'Ul',
  'Wen',
  'Yar',
];
export const townEndings = [
  'bourne',
  'by',
  'cliffe',
  'den',
  'field',
  'ford',
  'gate',
  'holt',
  'low',
  'mere',
  'stow',
  'wick',
];

export const firstNames = [
  'Odile',
  'Hesper',
  'Joran',
  'Brida',
  'Fenna',
  'Corvin',
  'Maren',
  'Tobin',
  'Isolde',
  'Anselm',
  'Petra',
  'Lucan',
  'Sunniva',
  'Emeric',
  'Thora',
  'Caspian',
  'Linnea',
  'Rurik',
  'Ottilie',
  'Alaric',
];
export const lastNames = [
  'Quist',
  'Velden',
  'Marrable',
  'Thackery',
  'Ulverd',
  'Pellin',
  'Hathersage',
  'Orrin',
  'Brackley',
  'Sorrel',
  'Wyndle',
  'Fairlamb',
  'Gostrey',
  'Ketteridge',
  'Lammas',
  'Nairne',
  'Penhallow',
  'Rookby',
  'Skeffing',
  'Tolland',
];

export const ensembleKinds = [
  'Town Winds',
  'Chamber Orchestra',
  'Brass Band',
  'String Society',
  'Choir and Players',
  'Youth Orchestra',
  'Sinfonia',
  'Consort',
  'Light Orchestra',
  'Wind Quintet',
];

export const families: [family: string, types: string[]][] = [
  [
    'Strings',
    ['Violin', 'Viola', 'Cello', 'Double bass', 'Viola da gamba', 'Harp', 'Lute', 'Guitar'],
  ],
  [
    'Woodwind',
    [
      'Piccolo',
      'Flute',
      'Oboe',
      'Cor anglais',
      'Clarinet',
      'Bass clarinet',
      'Bassoon',
      'Contrabassoon',
      'Recorder',
    ],
  ],
  ['Brass', ['Horn', 'Trumpet', 'Cornet', 'Trombone', 'Bass trombone', 'Euphonium', 'Tuba']],
  [
    'Percussion',
    ['Timpani', 'Snare drum', 'Bass drum', 'Xylophone', 'Glockenspiel', 'Tubular bells', 'Tam-tam'],
  ],
  ['Keyboard', ['Celesta', 'Harpsichord', 'Harmonium', 'Chamber organ']],
  ['Stage', ['Conductor stand', 'Choir riser', 'Podium']],
];

export const makers = [
  'Ulverd & Sons',
  'Pellin Workshop',
  'Marrable Cane',
  'Quist Reeds',
  'Thackery Gut',
  'Hathersage Brass',
  'Orrin & Daughter',
  'Brackley Percussion',
  'Sorrel Strings',
  'Wyndle Woodwinds',
  'Fairlamb Keyboards',
  'Gostrey Luthiers',
  'Ketteridge Horns',
  'Lammas Bows',
  'Nairne Flutes',
  'Penhallow Drums',
  'Rookby Harps',
  'Skeffing Organs',
  'Tolland Mouthpieces',
  'Velden Instruments',
  'Corran Timber',
  'Greywater Metals',
  'Harrow & Fell',
  'Lowmoor Cases',
  'Skerry Stands',
];

/** Articles by category, each with its gauges; a blank gauge where the article has none. */
export const articles: [category: string, article: string, gauges: string[]][] = [
  ['Bows and rosin', 'Rosin, dark', ['']],
  ['Bows and rosin', 'Rosin, light', ['']],
  ['Bows and rosin', 'Bow hair hank', ['violin', 'viola', 'cello', 'bass']],
  ['Reeds', 'Clarinet reed', ['2', '2½', '3', '3½', '4']],
  ['Reeds', 'Bass clarinet reed', ['2', '2½', '3']],
  ['Reeds', 'Oboe reed', ['soft', 'medium', 'hard']],
  ['Reeds', 'Bassoon reed', ['soft', 'medium soft', 'medium', 'hard']],
  ['Strings', 'Violin string E', ['light', 'medium', 'heavy']],
  ['Strings', 'Violin string A', ['light', 'medium', 'heavy']],
  ['Strings', 'Viola string C', ['light', 'medium', 'heavy']],
  ['Strings', 'Cello string A', ['light', 'medium', 'heavy']],
  ['Strings', 'Cello string D', ['light', 'medium', 'heavy']],
  ['Strings', 'Double bass string G', ['orchestra', 'solo']],
  ['Strings', 'Harp string set', ['gut', 'wire']],
  ['Brass care', 'Valve oil', ['light', 'regular', 'heavy']],
  ['Brass care', 'Slide grease', ['']],
  ['Brass care', 'Trumpet mute', ['straight', 'cup', 'bucket']],
  ['Percussion', 'Timpani mallets', ['soft', 'medium', 'hard', 'wood']],
  ['Percussion', 'Snare sticks', ['5A', '7A', '2B']],
  ['Percussion', 'Drum head', ['10 inch', '12 inch', '14 inch', '22 inch']],
  ['Stands and cases', 'Music stand', ['folding', 'orchestra']],
  ['Stands and cases', 'Violin case', ['½', '¾', '4/4']],
  ['Stands and cases', 'Stand light', ['']],
];

export const scoreForms = [
  'Nocturne',
  'Elegy',
  'Overture',
  'Serenade',
  'Waltz',
  'Suite',
  'Ballad',
  'Fantasia',
  'March',
  'Hymn',
  'Rhapsody',
  'Lament',
  'Idyll',
  'Toccata',
  'Variations',
  'Prelude',
  'Scherzo',
  'Pastorale',
  'Barcarolle',
  'Romance',
];
export const scoreJoints = ['of', 'for', 'on', 'after', 'beyond', 'under'];
export const scoreNouns = [
  'the Harbour',
  'Lanterns',
  'the Salt Road',
  'Winter Orchards',
  'the Grey Heron',
  'Still Water',
  'the Long Field',
  'Paper Ships',
  'the Ninth Bell',
  'Hollow Hills',
  'the Ferryman',
  'Copper Leaves',
  'the Weaver',
  'Open Doors',
  'the Millrace',
  'Distant Rain',
  'the Lighthouse',
  'First Snow',
  'the Quarry',
  'Early Swifts',
  'the Glasshouse',
  'Two Rivers',
  'the Causeway',
  'Quiet Streets',
  'the Hedgerow',
];

export const eras = ['early', 'baroque', 'classical', 'romantic', 'modern', 'contemporary'];
export const conditionGrades = ['as new', 'good', 'fair', 'worn', 'damaged'];
/** Parts at which a defect can be. */
export const instrumentParts = [
  'bell',
  'body',
  'case',
  'fingerboard',
  'head joint',
  'key',
  'mouthpiece',
  'neck',
  'slide',
  'string',
  'valve',
];
export const damageKinds = ['dent', 'crack', 'worn part', 'missing part', 'other'];
/** Where a defect can be, and which kinds there are. */
export const defectAreas: Record<string, readonly string[]> = {
  surface: ['dent', 'crack', 'other'],
  mechanism: ['worn part', 'missing part'],
};
export const movementKinds = ['received', 'lent', 'returned', 'lost'] as const;
export const loanPurposes = ['concert', 'rehearsal', 'tour', 'teaching', 'recording', 'study'];

export const genres = [
  'Symphonic',
  'Chamber',
  'Choral',
  'Early music',
  'Wind band',
  'Brass band',
  'Folk',
  'Dance',
  'Opera',
  'Film',
  'Sacred',
  'March',
  'Jazz',
  'Contemporary',
] as const;

export const weekdays = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday'] as const;
