"""What of another show is taken into ours: what is wanted, what that needs, what becomes of it."""

from isthmus.bringing.plan import Coming, Plan, plan
from isthmus.bringing.wanted import Wanted, choose

__all__ = ["Coming", "Plan", "Wanted", "choose", "plan"]
