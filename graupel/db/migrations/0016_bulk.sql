ALTER TABLE bulk_edit MODIFY field
  ENUM('status','category','place','brand','tag_on','tag_off','shop_on','shop_off') NOT NULL;
