import { Moon, Sun } from "lucide-react";
import { useState } from "react";

import { Button } from "./button";
import { currentTheme, toggleTheme } from "./theme";

export function ThemeSwitch() {
  const [theme, setTheme] = useState(currentTheme);
  const other = theme === "dark" ? "light" : "dark";
  return (
    <Button
      look="quiet"
      aria-label={`Use the ${other} look`}
      title={`Use the ${other} look`}
      onClick={() => {
        toggleTheme();
        setTheme(currentTheme());
      }}
    >
      {theme === "dark" ? <Sun size={16} /> : <Moon size={16} />}
    </Button>
  );
}
