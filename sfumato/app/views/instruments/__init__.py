"""The instruments, one a file: what each is called, what it measures, how it is shaped and painted."""
