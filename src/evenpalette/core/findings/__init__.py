"""What is wrong with a document, and how to mend it."""
