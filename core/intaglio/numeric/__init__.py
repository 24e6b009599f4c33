"""The numeric ground: exact predicates, space-filling order, trees of boxes. Knows no mesh."""
