import { Button, Menu, MenuItem, MenuTrigger, Popover } from "react-aria-components";
import { useNavigate } from "react-router";
import { PLACES } from "./places";
import { Unread } from "./Unread";

/** The places where there is no room for a line of them. */
export default function PlacesMenu({ present }: { present: string }) {
  const navigate = useNavigate();
  return (
    <MenuTrigger>
      <Button
        className="btn btn-sm btn-ghost max-w-full flex-nowrap gap-1.5 max-sm:px-1.5"
        aria-label={`${present}: other places`}
      >
        <span className="truncate">{present}</span>
        <span aria-hidden>▾</span>
        <Unread />
      </Button>
      <Popover placement="bottom start" className="sheet w-52 p-2">
        <Menu className="outline-none" aria-label="Places" onAction={(to) => void navigate(String(to))}>
          {PLACES.map(({ to, title }) => (
            <MenuItem
              key={to}
              id={to}
              textValue={title}
              className="flex cursor-pointer items-center gap-2 rounded px-2 py-1.5 outline-none data-focused:bg-base-200"
            >
              {title}
              {to === "/notices" && <Unread />}
            </MenuItem>
          ))}
        </Menu>
      </Popover>
    </MenuTrigger>
  );
}
