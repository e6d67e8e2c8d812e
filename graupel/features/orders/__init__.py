"""Orders, as far as stock needs them: what the real shop reports of them."""
