"""Drawing with OpenGL through moderngl: Form, Flat and thumbnails. No interface code."""
