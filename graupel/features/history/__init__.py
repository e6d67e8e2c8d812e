"""Each change: who, when, what was before and after; and the way back."""
