"""What the collection holds more than once: comparing, showing, setting aside, bringing back."""
