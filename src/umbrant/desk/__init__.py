"""The Qt application. Nothing else imports Qt."""
