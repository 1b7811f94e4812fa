import { cleanup, screen, within } from "@testing-library/react";
import { afterEach, expect, it } from "vitest";
import { vocabulary } from "./api/vocabulary";
import { SHEETS } from "./lib/words";
import { ManualPage } from "./ManualPage";
import { show } from "./test/kit";

afterEach(cleanup);

const section = (title: string) => within(screen.getByRole("region", { name: title }));

it("has a link to each of its parts", () => {
  show(<ManualPage />);
  const links = within(screen.getByRole("navigation")).getAllByRole("link");
  const parts = screen.getAllByRole("region");
  expect(links.map((link) => link.getAttribute("href"))).toEqual(parts.map((part) => `#${part.id}`));
});

it("goes through the sheets in their order", () => {
  show(<ManualPage />);
  const names = section("From a question to a decision").getAllByRole("term");
  expect(names.map((name) => name.textContent?.toLowerCase())).toEqual([...SHEETS]);
});

it.each([
  ["What can be asked", vocabulary.questions],
  ["When the evidence is read", vocabulary.methods],
  ["How traffic is shared out", vocabulary.designs],
  ["What the verdicts mean", vocabulary.verdicts],
])("has all that there is under “%s”", (title, members) => {
  show(<ManualPage />);
  for (const member of members) section(title).getByText(member.title);
  expect(section(title).getAllByRole("definition")).toHaveLength(members.length);
});
