"""What is written anew for a destination or a language, beside what stands with the record; translating."""
