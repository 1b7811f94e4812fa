import type { components } from "./schema";
import served from "./vocabulary.json";

/** What there is of methods, designs, verdicts and kinds, as the server describes it; `bin/types` writes it here. */
export type Vocabulary = components["schemas"]["VocabularyOut"];
export type MethodWords = Vocabulary["methods"][number];
export type Setting = MethodWords["settings"][number];
export type Tone = Vocabulary["verdicts"][number]["tone"];

export const vocabulary = served as Vocabulary;
export const LETTERS = vocabulary.letters;

/** The member of that name; the first where there is none, which types keep from happening. */
function named<Member extends { name: string }>(members: Member[], name: string): Member {
  return members.find((member) => member.name === name) ?? (members[0] as Member);
}

export type QuestionWords = Vocabulary["questions"][number];
export const questionNamed = (name: string) => named(vocabulary.questions, name);
export const methodNamed = (name: string) => named(vocabulary.methods, name);
/** Of visitors or by region: no two have the same name. */
export const verdictNamed = (name: string) => named([...vocabulary.verdicts, ...vocabulary.region_verdicts], name);
export const kindNamed = (name: string) => named(vocabulary.metric_kinds, name);
export const designNamed = (name: string) => named(vocabulary.designs, name);
