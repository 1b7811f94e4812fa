import { useQueryClient } from "@tanstack/react-query";
import { Button, Header, Menu, MenuItem, MenuSection, MenuTrigger, Popover } from "react-aria-components";
import { useNavigate } from "react-router";
import { client, type Account } from "../api/client";
import { initialsOf, ROUND } from "./initials";

const ITEM = "cursor-pointer rounded px-2 py-1 outline-none data-focused:bg-base-200";

/** Who is signed in, with what belongs to the account. */
export default function AccountMenu({ account, showKeys }: { account: Account; showKeys: () => void }) {
  const { display_name: name, role } = account;
  const cache = useQueryClient();
  const navigate = useNavigate();
  const signOut = async () => {
    await client.DELETE("/api/v1/session");
    cache.clear();
    window.location.assign("/sign-in");
  };
  return (
    <MenuTrigger>
      <Button className={`${ROUND} cursor-pointer`} aria-label={`${initialsOf(name)}, account of ${name}`}>
        {initialsOf(name)}
      </Button>
      <Popover placement="bottom end" className="sheet w-52 p-2">
        <Menu className="outline-none" aria-label={`Account of ${name}`}>
          <MenuSection>
            <Header className="px-2 pb-1">
              <span className="block font-semibold">{name}</span>
              <span className="quiet text-sm">{role}</span>
            </Header>
            <MenuItem className={ITEM} onAction={() => void navigate("/account")}>
              Your account
            </MenuItem>
            {account.may_administer && (
              <MenuItem className={ITEM} onAction={() => void navigate("/accounts")}>
                Accounts
              </MenuItem>
            )}
            <MenuItem className={ITEM} onAction={() => void navigate("/connections")}>
              Connections
            </MenuItem>
            <MenuItem className={ITEM} onAction={() => void navigate("/manual")}>
              Manual
            </MenuItem>
            <MenuItem className={ITEM} onAction={() => void navigate("/glossary")}>
              Glossary
            </MenuItem>
            <MenuItem className={ITEM} onAction={showKeys}>
              Keys
            </MenuItem>
            <MenuItem className={ITEM} onAction={() => void signOut()}>
              Sign out
            </MenuItem>
          </MenuSection>
        </Menu>
      </Popover>
    </MenuTrigger>
  );
}
