"""Small simulated outside services. Each is a process of its own and shares nothing with Graupel but HTTP."""
