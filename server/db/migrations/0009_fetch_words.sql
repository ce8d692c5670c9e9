-- Requests of page loads are named as the Fetch standard names them (destinations, priorities), with the urgency of RFC 9218.
UPDATE "requests" SET "record" = "record" || jsonb_build_object(
  'type', CASE "record"->>'type'
    WHEN 'Document' THEN 'document'
    WHEN 'Stylesheet' THEN 'style'
    WHEN 'Script' THEN 'script'
    WHEN 'Image' THEN 'image'
    WHEN 'Font' THEN 'font'
    WHEN 'Media' THEN 'video'
    WHEN 'TextTrack' THEN 'track'
    WHEN 'Manifest' THEN 'manifest'
    WHEN 'XHR' THEN 'fetch'
    WHEN 'Fetch' THEN 'fetch'
    WHEN 'EventSource' THEN 'fetch'
    ELSE 'other' END,
  'priority', CASE
    WHEN "record"->>'priority' IN ('VeryHigh', 'High') THEN 'high'
    WHEN "record"->>'priority' IN ('Low', 'VeryLow') THEN 'low'
    ELSE 'auto' END,
  'urgency', CASE "record"->>'priority'
    WHEN 'VeryHigh' THEN 0
    WHEN 'High' THEN 1
    WHEN 'Medium' THEN 2
    WHEN 'Low' THEN 3
    WHEN 'VeryLow' THEN 4
    ELSE NULL END)
