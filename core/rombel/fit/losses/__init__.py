"""What losses ask for beside the plan: room for what lost nodes carry, and nodes bought when a zone is lost."""
