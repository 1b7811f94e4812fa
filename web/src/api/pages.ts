/** Where the next page of a list begins, that has `count` items in all; undefined after the last. */
export function nextOffset<Page extends { count: number }>(pages: Page[], items: (page: Page) => unknown[]) {
  const last = pages.at(-1);
  const shown = pages.reduce((sum, page) => sum + items(page).length, 0);
  return last && items(last).length > 0 && shown < last.count ? shown : undefined;
}
