/** The site's own scripts, written as such sites have them: one file a feature, all on every page, all blocking. */

export const SLIDER_JS = `/* Slider: an add-on to the base library, which must have run before. */
jQuery.fn.harbourSlider = function (options) {
  return this.each(function () {
    var box = jQuery(this)
    var slides = box.find('.slide')
    var at = 0
    function show(next) {
      slides.removeClass('shown').eq(next).addClass('shown')
      at = next
    }
    box.addClass('ready')
    show(0)
    setInterval(function () { show((at + 1) % slides.length) }, options.speed)
  })
}
jQuery(function () {
  var slider = jQuery('.slider')
  slider.harbourSlider({ speed: Number(slider.data('speed')) || 6000 })
})
`

export const MENU_JS = `jQuery(function ($) {
  $('.menu-toggle').on('click', function () {
    var open = $('.main-menu').toggleClass('open').hasClass('open')
    $(this).attr('aria-expanded', String(open))
  })
})
`

export const DEPARTURES_JS = `jQuery(function ($) {
  var box = $('#departures')
  if (box.length === 0) return
  $.getJSON(box.data('feed')).then(function (feed) {
    var rows = _.map(_.take(feed.departures, 6), function (d) {
      return '<li>' + _.escape(d.leaves) + ' ' + _.escape(d.quay) + ', ' + _.escape(d.route) + '</li>'
    })
    box.find('p').replaceWith('<ul>' + rows.join('') + '</ul>')
  })
})
`

export const LIGHTBOX_JS = `jQuery(function ($) {
  $('a.card[href$=".jpg"]').on('click', function (event) {
    event.preventDefault()
    var shade = $('<div>').css({ position: 'fixed', inset: 0, background: '#000c', display: 'grid', placeItems: 'center' })
    shade.append($('<img>').attr('src', this.href)).on('click', function () { shade.remove() }).appendTo('body')
  })
})
`

export const BASKET_JS = `jQuery(function ($) {
  $('form[action="/basket"] button').on('click', function () { $(this).text('One moment…') })
})
`

export const FORMS_JS = `jQuery(function ($) {
  $('form').on('submit', function () {
    var empty = $(this).find('[required]').filter(function () { return _.trim(this.value) === '' })
    return empty.length === 0
  })
})
`

export const CONSENT_JS = `jQuery(function ($) {
  if (/(^|; )consent=/.test(document.cookie)) return
  var bar = $('<div class="consent">We count visits. <button>Fine</button></div>').appendTo('body')
  bar.find('button').on('click', function () {
    document.cookie = 'consent=yes; path=/; max-age=31536000'
    bar.remove()
  })
})
`

/** What grew over the years and is in every page, needed or not. */
export const COMPAT_JS = `/* Keeps code for the base library's second version going, and says so when it has to. */
(function ($) {
  var spoken = {}
  function tell(what) { if (!spoken[what]) { spoken[what] = true; console.error('compat: ' + what + ' is out of date') } }
  $.fn.andWharf = function () { tell('andWharf()'); return this.addBack() }
  $.fn.berths = function () { tell('berths()'); return this.length }
${Array.from({ length: 60 }, (_, i) => `  $.fn.shim${i} = function (a, b) { tell('shim ${i}'); return a === b ? ${i} : a }`).join('\n')}
})(jQuery)
`

/** Nothing on the site has drawn flags since the regatta; the script stayed. */
export const SEMAPHORE_JS = `/* Draws signal flags. */
(function (w) {
${Array.from({ length: 80 }, (_, i) => `  function flag${i}(x, y) { return [x + ${i}, y * ${i + 2}] }`).join('\n')}
  w.semaphoreFlags = { draw: function (name, at) { return [flag0(at, 1), flag1(at, 2), name] } }
})(window)
`

export const FRAMES_JS = `/* Gives pages shown inside this page their height. */
(function (w) {
${Array.from({ length: 50 }, (_, i) => `  function fit${i}(frame) { frame.height = frame.height * ${i + 1} / ${i + 1} }`).join('\n')}
  w.addEventListener('message', function (event) { if (event.data && event.data.height) event.source.height = event.data.height })
})(window)
`
