/** The two checklists: what is asked before large instruments go out. */
export const checklists = [
  { value: 'chamber_hall', label: 'Chamber hall' },
  { value: 'open_air_stage', label: 'Open-air stage' },
];

export interface DemoQuestion {
  checklist: string;
  code: string;
  heading: string;
  text: string;
  kind: string;
  required?: boolean;
  choices?: string;
  help?: string;
  when?: string;
  points?: number;
  least?: number;
  greatest?: number;
  unit?: string;
}

const hall = (heading: string, code: string, text: string, kind: string): DemoQuestion => {
  return { checklist: 'chamber_hall', heading, code, text, kind };
};
const stage = (heading: string, code: string, text: string, kind: string): DemoQuestion => {
  return { checklist: 'open_air_stage', heading, code, text, kind };
};
const required = true;

/** The questions as they were first asked, in their order. */
export const demoQuestions: readonly DemoQuestion[] = [
  {
    ...hall('The way in', 'door', 'How wide is the narrowest door?', 'whole_number'),
    ...{ required, points: 3, least: 60, greatest: 400, unit: 'cm' },
  },
  { ...hall('The way in', 'lift', 'Is there a goods lift?', 'yes_no'), required, points: 2 },
  {
    ...hall('The way in', 'steps', 'How many steps are there?', 'whole_number'),
    ...{ required, when: 'lift = false', least: 1, greatest: 80 },
  },
  {
    ...hall('The room', 'heating', 'How is the hall heated?', 'one_of'),
    ...{ required, choices: 'Warm air; Radiators; Stove; Not at all', points: 4 },
  },
  {
    ...hall('The room', 'steady', 'Does the temperature stay the same?', 'rating'),
    ...{ required, help: '1 drifts all day, 5 stays the same', points: 5 },
  },
  {
    ...hall('The room', 'humidity', 'How humid is the afternoon?', 'decimal'),
    ...{ points: 4, least: 0, greatest: 100, unit: '%' },
  },
  {
    ...hall('The room', 'locks', 'Which doors can be locked?', 'several_of'),
    choices: 'Main door; Stage door; Yard',
  },
  {
    ...hall('The night before', 'locked', 'Is it locked at night?', 'yes_no'),
    required,
    points: 2,
  },
  {
    ...hall('The night before', 'keeper', 'Who keeps the key?', 'short_text'),
    ...{ required, when: 'locked = true' },
  },
  hall('The night before', 'ends_at', 'When does the last rehearsal end?', 'time'),
  hall('The night before', 'remarks', 'Anything else?', 'long_text'),
  { ...stage('The ground', 'firm', 'Is the ground firm?', 'rating'), required, points: 5 },
  {
    ...stage('The ground', 'slope', 'How steep is the way down?', 'decimal'),
    ...{ least: 0, greatest: 30, unit: '%' },
  },
  { ...stage('The roof', 'roof', 'Is there a roof?', 'yes_no'), required, points: 4 },
  {
    ...stage('The roof', 'roof_kind', 'What is the roof made of?', 'one_of'),
    ...{ required, choices: 'Canvas; Timber; Steel', when: 'roof = true' },
  },
  {
    ...stage('The roof', 'sides', 'Which sides are closed?', 'several_of'),
    ...{ choices: 'Back; Left; Right', points: 2, when: 'roof = true' },
  },
  {
    ...stage('Power and weather', 'amps', 'How much current is there?', 'whole_number'),
    ...{ required, points: 3, least: 0, greatest: 400, unit: 'A' },
  },
  stage('Power and weather', 'storm', 'When was the last storm?', 'date'),
  stage('Power and weather', 'shelter', 'Where do instruments go when it rains?', 'short_text'),
  {
    ...stage('The night before', 'first', 'Which ensemble plays first?', 'record'),
    choices: 'ensemble',
  },
  {
    ...stage('The night before', 'keeper', 'Who keeps the key?', 'short_text'),
    help: 'Name and telephone number',
  },
  stage('The night before', 'remarks', 'Anything else?', 'long_text'),
];

/** What three of them were reworded to, after most sheets had been filled in. */
export const reworded: Readonly<Record<string, string>> = {
  lift: 'Is there a lift?',
  steady: 'How steady is the temperature?',
  firm: 'How firm is the ground?',
};
