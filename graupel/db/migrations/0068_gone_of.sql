-- To which record something belonged that was removed, so that the history of that record has it too.
ALTER TABLE change_row ADD COLUMN IF NOT EXISTS gone_of BIGINT UNSIGNED NULL, ADD KEY IF NOT EXISTS change_row_gone_of (gone_of);

UPDATE change_row SET gone_of = CASE
    WHEN record_kind IN ('own_value', 'tagging') THEN JSON_VALUE(was, '$.record_id')
    WHEN record_kind = 'goods_condition' THEN JSON_VALUE(was, '$.owner_id')
    WHEN record_kind = 'shop_goods' THEN JSON_VALUE(was, '$.shop_id')
    WHEN record_kind = 'variant_text' THEN JSON_VALUE(was, '$.variant_id')
    WHEN record_kind = 'attribute_choice' THEN JSON_VALUE(was, '$.attribute_id')
    WHEN record_kind = 'type_attribute' THEN JSON_VALUE(was, '$.type_id')
    WHEN record_kind IN ('category_text', 'category_fact') THEN JSON_VALUE(was, '$.category_id')
    WHEN record_kind = 'tax_rate' THEN JSON_VALUE(was, '$.tax_class_id')
    WHEN record_kind = 'promise_zone' THEN JSON_VALUE(was, '$.promise_id')
    WHEN record_kind = 'sale_goods' THEN JSON_VALUE(was, '$.sale_id')
    WHEN record_kind = 'choice_entry' THEN JSON_VALUE(was, '$.buyer_choice_id')
    WHEN record_kind = 'download_version' THEN JSON_VALUE(was, '$.download_id')
    WHEN record_kind = 'relation_rule' THEN JSON_VALUE(was, '$.relation_kind_id')
    ELSE JSON_VALUE(was, '$.product_id') END
WHERE became IS NULL AND gone_of IS NULL;
